import { anyCase, AS_OF } from './agree.ts';
import { Random } from './random.ts';
import { anyRecords, firstOf } from './records.ts';
import { Served } from './served.ts';
import { surfaceDifference } from './surfaces.ts';
import { valuesDiffer, type WrittenFeature } from './written_values.ts';

/** Another seed every day; it stands in the name of a test that fails. */
const first = Math.floor(Date.now() / 86_400_000) * 1000 + 500;

let served: Served;
// The server is built first where its sources are newer.
beforeAll(async () => (served = await Served.start(AS_OF)), 120_000);
afterAll(() => served.stop());

const SIZES = [1, 33, 65, 100, 243];
test.each(SIZES.map((rows, i) => [rows, first + i]))('%i rows, seed %i: every surface says the same', async (rows, seed) => {
  const random = new Random(seed);
  expect(await surfaceDifference(served, anyCase(random, rows, 10), random)).toBeNull();
}, 60_000); // prettier-ignore

test('a wrong number on one surface is found and told', async () => {
  const random = new Random(2);
  const made = anyCase(random, 33, 1);
  const { truth } = made;
  made.truth = (expr, row) => (row === 32 ? truth(expr, row) !== true : truth(expr, row));
  expect(await surfaceDifference(served, made, random)).toMatch(/the head of the stack says/);
}, 60_000);

test('a wrong row, value or shape in a file is found and told', () => {
  const records = firstOf(anyRecords(new Random(1), 1), 1);
  records.rows[0] = { row_no: 0, 'name "of" it': 'oak', date_5: '2024-05-31' };
  records.types = { row_no: 'number', 'name "of" it': 'text', date_5: 'date' };
  records.shapes = [{ type: 'Point', coordinates: [1, 2] }];
  const right: WrittenFeature = { values: { row_no: 0, 'name "of" it': 'oak', date_5: { day: '2024-05-31' } }, at: [[1, 2]] }; // prettier-ignore
  const told = (feature: Partial<WrittenFeature>, kept = [0]) => valuesDiffer('geopackage', [{ ...right, ...feature }], records, kept); // prettier-ignore
  expect(told({})).toBeNull();
  expect(told({}, [])).toMatch(/the rows are \[0\], not \[\]/);
  expect(told({ values: { ...right.values, 'name "of" it': 'Oak' } })).toMatch(/of row 0 is "Oak", not "oak"/);
  expect(told({ values: { ...right.values, date_5: '2024-05-30' } })).toMatch(/date_5 of row 0/);
  expect(told({ values: { row_no: 0, 'name "of" it': 'oak' } })).toMatch(/date_5 of row 0 is undefined/);
  expect(told({ at: [[1, 2.5]] })).toMatch(/the shape of row 0/);
});
