import { Geos } from '@clean-sieve/core';
import { anyCase, difference } from './agree.ts';
import { Random } from './random_lists.ts';
import { SMALL } from './records.ts';

/** Another seed every day, so that the same tables are not asked for ever; it stands in the name of a test that fails. */
const first = Math.floor(Date.now() / 86_400_000) * 1000;

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

test.each(SMALL.map((rows, i) => [rows, first + i]))('%i rows, seed %i: 24 filters', (rows, seed) => {
  expect(difference(anyCase(new Random(seed), rows, 24, seed % 3 === 0), geos)).toBeNull();
});

test.each([4097, 65_535, 65_537].map((rows, i) => [rows, first + 100 + i]))('%i rows, seed %i', (rows, seed) => {
  const questions = rows > 10_000 ? 1 : 20;
  expect(difference(anyCase(new Random(seed), rows, questions, false), geos)).toBeNull();
});

test('a wrong answer is found and told', () => {
  const made = anyCase(new Random(1), 33, 1, false);
  const [{ truths }] = made.asked;
  truths[32] = truths[32] === true ? false : true;
  expect(difference(made, geos)).toMatch(/row 32 of 33: the engine says/);
});
