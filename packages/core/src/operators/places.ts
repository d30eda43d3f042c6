import { isSeveral } from '../filters/areas.ts';
import { GEOMETRY_NAME, isGeometry, isProperty } from '../filters/ast.ts';
import { FilterError, type Span } from '../filters/filter_error.ts';
import { nearestName } from '../filters/nearest_name.ts';
import { printText } from '../filters/print_literal.ts';
import { checkDistance, checkLiteral, isSubject } from './shape_operands.ts';
import type { Checking, Operator } from './operator.ts';

type Plain = Pick<Operator, 'name' | 'arity' | 'help' | 'check'>;

/** Something that stands for a shape. */
function place({ prose, ...plain }: Plain & Partial<Pick<Operator, 'prose'>>): Operator {
  return {
    ...plain,
    syntax: { kind: 'function' },
    standard: false,
    result: 'geometry',
    // Those that name what they stand for are said by `shapeInWords`, wherever they stand.
    prose: prose ?? ((args, { say }) => `${plain.name}(${args.map((arg) => say(arg)).join(', ')})`),
    evaluation: { by: 'place' },
  };
}

const AREA = place({
  name: 'AREA',
  arity: [1, 1],
  help: { usage: "S_INTERSECTS(geometry, AREA('name'))", meaning: 'the shape of an area of the workspace' },
  check: (call) => {
    const said = nameIn(call, 'an area');
    const names = [...call.areas.keys()];
    if (names.includes(said)) return;
    const known = names.length === 0 ? 'No area is known here' : `The areas are ${someOf(names)}`;
    throw unknownName('area', said, names, known, call.at(0));
  },
});

function operand(name: 'SOURCE' | 'SIEVE', meaning: string): Operator {
  const word = name.toLowerCase();
  return place({
    name,
    arity: [1, 1],
    help: { usage: `S_DWITHIN(geometry, ${name}('name'), 20, 'm')`, meaning },
    check: (call) => {
      const said = nameIn(call, `a ${word}`);
      const names = name === 'SOURCE' ? call.operands.sources : call.operands.sieves;
      const found = names.filter((one) => one === said).length;
      if (found === 1) return;
      if (found > 1)
        throw new FilterError(`There are ${found} ${word}s with the name ${said}`, call.at(0), 'Give one of them another name');
      const known = names.length === 0 ? `No ${word} can be named here` : `The ${word}s with a name are ${someOf(names)}`;
      throw unknownName(word, said, names, known, call.at(0));
    },
  });
}

function nameIn({ name, args, at, example }: Checking, one: string): string {
  const [said] = args;
  if (typeof said === 'string') return said;
  throw new FilterError(`${name} needs the name of ${one} in single quotes`, at(0), example);
}

const someOf = (names: readonly string[]) => `${names.slice(0, 12).join(', ')}${names.length > 12 ? ' …' : ''}`;

function unknownName(word: string, name: string, names: readonly string[], known: string, span: Span | null): FilterError {
  const near = nearestName(name, names);
  return new FilterError(`There is no ${word} ${name}`, span, near ? `Did you mean ${near}?` : known, near && printText(near));
}

function several(name: 'ANY_OF' | 'ALL_OF', meaning: string): Operator {
  return place({
    name,
    arity: [1, Infinity],
    help: { usage: `S_INTERSECTS(geometry, ${name}(AREA('one'), AREA('other')))`, meaning },
    check: (call) => {
      for (const [i, arg] of call.args.entries()) {
        call.expect(arg, ['geometry'], call.at(i), `Argument ${i + 1} of ${name}`);
        if (isSubject(arg) || isSeveral(arg))
          throw new FilterError(`${name} takes shapes, areas, sources and sieves`, call.at(i), call.example);
        checkLiteral(call, arg, call.at(i));
      }
    },
  });
}

const BUFFER = place({
  name: 'BUFFER',
  arity: [2, 3],
  help: {
    usage: "S_INTERSECTS(geometry, BUFFER(POINT(lon lat), 500, 'm'))",
    meaning: 'every place within the distance of a geometry, on the ellipsoid',
  },
  check: (call) => {
    const { args, at } = call;
    if (!isGeometry(args[0])) throw new FilterError('BUFFER needs a geometry that is written out', at(0), call.example);
    checkLiteral(call, args[0], at(0));
    checkDistance(call, args[1], args[2], [at(1), at(2)]);
  },
});

const CENTROID = place({
  name: 'CENTROID',
  arity: [1, 1],
  help: {
    usage: "S_INTERSECTS(CENTROID(geometry), AREA('name'))",
    meaning: 'the centre of gravity of the feature, in the coordinate system of its source',
  },
  check: ({ args, at, example }) => {
    if (!isProperty(args[0]) || args[0].property !== GEOMETRY_NAME)
      throw new FilterError('CENTROID is taken of the column geometry', at(0), example);
  },
  prose: () => 'the centre',
});

export const PLACES: readonly Operator[] = [
  AREA,
  operand('SOURCE', 'any feature of a source'),
  operand('SIEVE', 'any feature that another sieve keeps, as it is at the moment'),
  several('ANY_OF', 'one of these places at least'),
  several('ALL_OF', 'each of these places'),
  BUFFER,
  CENTROID,
];
