import fc from 'fast-check';
import { fullMask, maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { lastDayOf, timeCounts } from './time_counts.ts';

function columnOf(values: (string | null)[]) {
  const builder = new TableBuilder();
  // The first row settles the type.
  for (const d of values) builder.addFeature(null, { d, other: 1 });
  const table = builder.finish();
  return { column: table.columns.find(({ name }) => name === 'd')!, rows: table.rows };
}
const counted = (values: (string | null)[], kept?: number[]) => {
  const { column, rows } = columnOf(values);
  return timeCounts(column, rows, kept ? maskOf(kept, rows) : fullMask(rows));
};

test.each([
  [['2024-02-28', '2024-03-01'], 'day', 3],
  [['2023-01-02', '2024-06-30'], 'week', 78],
  [['2015-05-31', '2024-02-01'], 'month', 106],
  [['1890-01-01', '2024-06-30'], 'year', 135],
] as [string[], string, number][])('%j is counted by %s', (values, unit, bins) => {
  const found = counted(values)!;
  expect([found.unit, found.bins.length]).toEqual([unit, bins]);
  expect(found.bins[0].all + found.bins[bins - 1].all).toBe(2);
});

test('weeks begin on Monday (ISO 8601); what is known to the year only has no place among months', () => {
  const weeks = counted(['2023-01-01', '2023-01-02', '2023-01-08', '2024-06-30', null], [1])!;
  expect(weeks.bins.slice(0, 2)).toEqual([
    { from: '2022-12-26', all: 1, kept: 0 },
    { from: '2023-01-02', all: 2, kept: 1 },
  ]);
  expect(weeks.blank).toBe(1);
  const months = counted(['2012-01-05', '2024-06-30', '2022', '2022-05'])!;
  expect([months.unit, months.unplaced]).toEqual(['month', 1]);
  expect(lastDayOf('month', '2024-02-01')).toBe('2024-02-29');
  expect(lastDayOf('week', '2024-02-26')).toBe('2024-03-03');
});

test('other columns, and columns without a value, have no counts along time', () => {
  expect(counted(['a', 'b'])).toBeNull();
  const { column, rows } = columnOf(['2020-01-01', null]);
  expect(timeCounts({ ...column, chunks: column.chunks.map((c) => ({ ...c, validity: maskOf([], 2) })) }, rows, fullMask(2))).toBeNull();
});

test('every feature is counted once: in a bin, as blank, or as not placed', () => {
  const day = fc
    .date({ min: new Date('1980-01-01'), max: new Date('2026-01-01'), noInvalidDate: true })
    .map((d) => d.toISOString().slice(0, 10));
  fc.assert(
    fc.property(fc.array(fc.option(day), { minLength: 1, maxLength: 60 }), (values) => {
      const all = ['2000-01-01', ...values];
      const found = counted(all)!;
      const inBins = found.bins.reduce((sum, bin) => sum + bin.all, 0);
      expect(inBins + found.blank + found.unplaced).toBe(all.length);
      for (const bin of found.bins.slice(0, 40)) {
        const inside = all.filter((d) => d !== null && d >= bin.from && d <= lastDayOf(found.unit, bin.from)).length;
        expect(bin.all).toBe(inside);
      }
    }),
    { numRuns: 60 },
  );
});
