import type { Figures, GroupOfFeatures } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { groupsCsv } from './groups_file.ts';

const column = (name: string, codeList: number | null = null) => ({ name, codeList }) as ColumnInfo;
const figures = (rows: number, sum: number | null): Figures => ({ rows, blank: 0, min: null, max: null, mean: null, median: null, sum });
const group = (by: GroupOfFeatures['by'], kept: Figures, all: Figures): GroupOfFeatures => ({ by, kept, all });

test('groups have their codes and meanings, and kept beside all', () => {
  const groups = [group(['0142', 'a "b"'], figures(1, 2.5), figures(2, 5)), group([null, '=1+1'], figures(0, null), figures(3, -1))];
  const meaning = (_: ColumnInfo, value: unknown) => (value === '0142' ? 'Sycamore' : undefined);
  expect(groupsCsv(groups, [column('species', 3), column('note')], column('height'), ['sum'], meaning).split('\r\n')).toEqual([
    'species,species_meaning,note,kept,all,kept_height_sum,all_height_sum',
    '0142,Sycamore,"a ""b""",1,2,2.5,5',
    ',,"\'=1+1",0,3,,-1',
    '',
  ]);
});

test('without a column they are counted', () => {
  const csv = groupsCsv([group([true], figures(1, null), figures(4, null))], [column('lit')], null, [], () => undefined);
  expect(csv).toBe('lit,kept,all\r\ntrue,1,4\r\n');
});
