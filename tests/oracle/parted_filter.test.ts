import { call, Geos, has, isGeographic, parseDate, partFilter, Sifter, type Declared, type Expr } from '@clean-sieve/core';
import { anyCase, AS_OF, type Case } from './agree.ts';
import { Random } from './random_lists.ts';
import { SMALL } from './records.ts';

/** Another seed every day, so that the same filters are not parted for ever; it stands in the name of a test that fails. */
const first = Math.floor(Date.now() / 86_400_000) * 1000;

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

/** What some service might declare of the table. */
function anyDeclared(random: Random, { table }: Case): Declared {
  const takesFilters = random.chance(0.6);
  const times = table.columns.filter(({ type }) => type === 'date' || type === 'datetime');
  return {
    columns: new Map(table.columns.filter(() => random.chance(0.8)).map(({ name, type }) => [name, type])),
    wholes: new Set(table.columns.filter(() => random.chance(0.5)).map(({ name }) => name)),
    geometry: random.chance(0.7) ? 'geometry' : null,
    filter: takesFilters
      ? {
          ...{ language: random.pick(['cql2-text', 'cql2-json', 'sql'] as const), advanced: random.chance(0.6), boxes: random.chance(0.6) },
          ...(random.chance(0.4) ? { compares: true as const } : {}),
        }
      : null,
    values: random.chance(0.5),
    time: random.chance(0.5) && times.length > 0 ? random.pick(times).name : null,
    projected: !isGeographic(table.crs),
  };
}

test.each(Array.from({ length: 12 }, (_, i) => first + i))(
  'seed %i: what is asked elsewhere keeps at least as much, and with what is decided here just as much, as a plain evaluator says',
  (seed) => {
    const random = new Random(seed);
    const made = anyCase(random, random.pick(SMALL), 6, false);
    const sifter = new Sifter(made.table, parseDate(AS_OF)!.day, made.table.crs, geos);
    // Several conditions that all have to hold are what people write.
    const alone = made.asked.map(({ expr, truths }) => ({ expr, truths }));
    const [a, b, c] = alone;
    const together = {
      expr: call('and', a.expr, call('and', b.expr, c.expr)) as Expr,
      truths: a.truths.map((truth, row) =>
        [truth, b.truths[row], c.truths[row]].includes(undefined)
          ? undefined
          : truth === true && b.truths[row] === true && c.truths[row] === true,
      ),
    };
    for (const { expr, truths } of [...alone, together]) {
      const declared = anyDeclared(random, made);
      const parted = partFilter(expr, declared);
      const there = parted.there === null ? null : sifter.verdict(parted.there).yes;
      const here = parted.here === null ? null : sifter.verdict(parted.here).yes;
      truths.forEach((truth, row) => {
        if (truth === undefined) return;
        const comes = there === null || has(there, row);
        const told = { expr: JSON.stringify(expr), asked: parted.asked, row };
        if (truth === true) expect({ ...told, comes }).toEqual({ ...told, comes: true });
        const kept = comes && (here === null || has(here, row));
        expect({ ...told, kept }).toEqual({ ...told, kept: truth === true });
      });
    }
  },
);
