import fc from 'fast-check';
import { valueAt } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { formatDay, formatInstant } from '../time/calendar.ts';
import { DatePattern } from './date_pattern.ts';
import { typedInWords } from './derivation_words.ts';
import { decimalProduct, UnitReader } from './number_with_unit.ts';
import { readingReport, typedColumn, typeOffers, unitsIn, type TypedDerivation } from './typed_column.ts';

const columnOf = (values: (string | null)[]) => {
  const builder = new TableBuilder();
  builder.column('t');
  values.forEach((t) => builder.addFeature(null, { t }));
  return builder.finish().columns[0];
};
const by = (as: TypedDerivation['as'], more: Partial<TypedDerivation> = {}): TypedDerivation => ({
  ...{ kind: 'typed', from: 't', as, decimal: 'point', order: 'dmy' },
  ...more,
});
const readAs = (values: (string | null)[], derivation: TypedDerivation) => {
  const column = typedColumn(columnOf(values), derivation, 'made');
  return values.map((_, row) => valueAt(column, row));
};

describe('numbers with a unit', () => {
  const units = [
    { text: 'm', times: '1' },
    { text: 'cm', times: '0.01' },
    { text: '€', times: '1000' },
  ];
  test('in front or behind, in the unit of the column; without one as it is', () => {
    expect(readAs(['12 m', '57cm', '1,200 cm', '€ 3', '4', 'm', 'about 3 m', '5 ft', null], by('number', { units }))).toEqual([
      ...[12, 0.57, 12, 3000, 4],
      ...[null, null, null, null],
    ]);
    expect(readAs(['1.200,5 m'], by('number', { units, decimal: 'comma' }))).toEqual([1200.5]);
    expect(() => readAs(['1 m'], by('number', { units: [{ text: 'm', times: 'x' }] }))).toThrow('m is x of the column');
    expect(() => readAs(['1 m'], by('number', { units: [...units, { text: ' m', times: '2' }] }))).toThrow('The unit m is said twice');
    expect(() => readAs(['1 m'], by('number', { units: [{ text: 'm', times: '0' }] }))).toThrow('no number above 0');
  });

  test('which one it was written with is told', () => {
    const reader = new UnitReader(units);
    expect(reader.read('57 cm', 'point')).toEqual({ value: 0.57, unit: 1 });
    expect(reader.read('57', 'point')).toEqual({ value: 57, unit: -1 });
  });

  test('those that stand in a column are told, the most frequent first; one alone is offered', () => {
    expect(unitsIn(columnOf(['12 m', '3 m', '40 cm', '$5', '7', 'm', 'about 3 m each', null]), 'point')).toEqual([
      { text: 'm', rows: 2 },
      { text: '$', rows: 1 },
      { text: 'cm', rows: 1 },
    ]);
    const [offer] = typeOffers(columnOf(['12 m', '3.5 m', '7 m', 'low']));
    expect(offer.derivation).toEqual(by('number', { unit: 'm', units: [{ text: 'm', times: '1' }] }));
    expect(offer).toMatchObject({ present: 4, fitting: 3, misfits: [{ value: 'low', count: 1 }] });
    expect(typeOffers(columnOf(['12 m', '3 cm']))).toEqual([]);
    // Codes are none.
    expect(typeOffers(columnOf(['T-000001', 'T-000002']))).toEqual([]);
    expect(unitsIn(columnOf(['A12', 'B 7', '007 m']), 'point')).toEqual([{ text: 'B', rows: 1 }]);
  });

  test('the product is the double nearest to that of the decimals', () => {
    expect(decimalProduct('57', '0.01')).toBe(0.57);
    expect(decimalProduct('-1.1e3', '1.1')).toBe(-1210);
    // Thousandths of hundredths are whole numbers of 1e-5, which a division rounds once.
    fc.assert(
      fc.property(fc.integer({ min: -9_999_999, max: 9_999_999 }), fc.integer({ min: 1, max: 999 }), (a, b) => {
        const product = decimalProduct(
          `${a < 0 ? '-' : ''}${Math.trunc(Math.abs(a) / 1000)}.${`${Math.abs(a) % 1000}`.padStart(3, '0')}`,
          `${b}e-2`,
        );
        expect(product + 0).toBe((a * b) / 1e5 + 0);
      }),
    );
  });
});

describe('dates by a pattern', () => {
  test.each([
    ['d.M.yy', '3.5.19', '2019-05-03'],
    ['d.M.yy', '3.5.87', '1987-05-03'],
    ['dd.MM.yyyy', '3.5.2019', null],
    ['dd.MM.yyyy', '31.02.2019', null],
    ['yyyyMMdd', '20190503', '2019-05-03'],
    ['d MMM yyyy', '3 Sept. 2019', '2019-09-03'],
    ['MMMM yyyy', 'December 2019', '2019-12'],
    ['MMMM yyyy', 'Decent 2019', null],
    ['yyyy', '2019', '2019'],
    ["'survey of' d/M/yyyy", 'survey of  3/5/2019', '2019-05-03'],
    ["d 'o''clock' M yyyy", "3 o'clock 5 2019", '2019-05-03'],
    ['M/d/yyyy', '13/5/2019', null],
    ['(d) M yyyy', '(3) 5 2019', '2019-05-03'],
  ])('%s reads %s', (pattern, text, iso) => {
    const date = new DatePattern(pattern, 1950).date(text);
    expect(date && formatDay(date.day, date.precision)).toBe(iso);
  });

  test('years of two digits are told, not a quoted yy', () => {
    expect(['d.M.yy', 'd.M.yyyy', "'yy' yyyy"].map((pattern) => new DatePattern(pattern).hasShortYears)).toEqual([true, false, false]);
  });

  test('a time of day with it', () => {
    const pattern = new DatePattern('dd.MM.yyyy HH:mm:ss', 1950);
    const at = (text: string) => {
      const instant = pattern.instant(text);
      return instant && formatInstant(instant.millis, instant.offset);
    };
    expect(at('03.05.2019 07:08:09')).toBe('2019-05-03T07:08:09');
    expect(at('03.05.2019 27:08:09')).toBe(null);
    expect(readAs(['3.5.2019 7:08', '3.5.2019'], by('datetime', { pattern: 'd.M.yyyy H:mm' }))).toEqual(['2019-05-03T07:08:00', null]);
  });

  test.each([
    ['dd.MM', 'has no year'],
    ['yyyy yy', 'has two years'],
    ['d.d.yyyy', 'a field twice'],
    ['d yyyy', 'a day and no month'],
    ['HH:mm yyyy', 'a day in front of it'],
    ['dd.MM.yyyy HH', 'wants hours and minutes'],
    ['QQ yyyy', 'QQ is no field of a date'],
  ])('%s is refused: it %s', (pattern, problem) => expect(() => new DatePattern(pattern, 1950)).toThrow(problem));

  test('a pattern with a time is none of dates, one without none of dates with a time', () => {
    expect(() => readAs(['x'], by('date', { pattern: 'd.M.yyyy H:mm' }))).toThrow('has a time of day');
    expect(() => readAs(['x'], by('datetime', { pattern: 'd.M.yyyy' }))).toThrow('has no time of day');
  });

  test('every day is read as it is written, years of two digits in their hundred', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 28 }), fc.integer({ min: 1, max: 12 }), fc.integer({ min: 0, max: 99 }), (d, m, short) => {
        const date = new DatePattern('M-d-yy', 1963).date(`${m}-${d}-${String(short).padStart(2, '0')}`)!;
        const year = short >= 63 ? 1900 + short : 2000 + short;
        expect(date.day * 86_400_000).toBe(Date.UTC(year, m - 1, d));
      }),
    );
  });
});

test('yes and no in own words, whatever their case', () => {
  const words = { yes: ['ja', 'Vorhanden'], no: ['nein'] };
  expect(readAs(['Ja', ' VORHANDEN', 'nein', 'yes', '', null], by('boolean', { words }))).toEqual([true, true, false, null, null, null]);
  expect(() => readAs(['ja'], by('boolean', { words: { yes: ['ja'], no: ['JA'] } }))).toThrow('ja would be yes and no');
});

test('texts that fail are read as another one, or left blank for good, and no longer told', () => {
  const values = ['184', 'tall', 'tall', 'n/a', 'n/a', 'n/a', '95', null, ''];
  const plain = by('number');
  expect(readingReport(columnOf(values), plain)).toMatchObject({
    ...{ present: 7, fitting: 2, instead: 0 },
    misfits: [
      { value: 'n/a', count: 3 },
      { value: 'tall', count: 2 },
    ],
  });
  const mended = by('number', {
    instead: [
      ['tall', '30'],
      ['n/a', ''],
    ],
  });
  expect(readingReport(columnOf(values), mended)).toMatchObject({ present: 7, fitting: 4, instead: 5, misfits: [] });
  expect(readAs(values, mended)).toEqual([184, 30, 30, null, null, null, 95, null, null]);
  // What stands instead is read by the same rules.
  expect(readingReport(columnOf(values), by('number', { instead: [['tall', 'high']] })).misfits).toContainEqual({
    value: 'tall',
    count: 2,
  });
});

test('how it is read is told in words', () => {
  expect(typedInWords(by('number', { unit: 'm', units: [{ text: 'cm', times: '0.01' }], decimal: 'comma', instead: [['x', '']] }))).toBe(
    't read as numbers in m; decimals after a comma; cm as 0.01 m; 1 text left blank',
  );
  expect(typedInWords(by('date', { pattern: 'd.M.yy', firstYear: 1930 }))).toBe('t read as dates; written as d.M.yy, years from 1930');
  expect(typedInWords(by('date', { order: 'mdy' }))).toBe('t read as dates; the month first');
  expect(typedInWords(by('boolean', { words: { yes: ['ja'], no: ['nein'] }, instead: [['x', 'ja']] }))).toBe(
    't read as yes and no; yes: ja; no: nein; 1 text read as another',
  );
});
