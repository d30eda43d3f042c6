import { isCall, isInterval, type Call, type Expr } from '../filters/ast.ts';
import { ARITHMETIC_OPERATORS } from './arithmetic.ts';
import { ARRAYS } from './arrays.ts';
import { COMPARING } from './comparison.ts';
import { COVERING } from './covering.ts';
import { CHOICES } from './choices.ts';
import { CONVERSIONS } from './conversions.ts';
import { DATES } from './dates.ts';
import { LOGIC } from './logic.ts';
import { MEASURES } from './measures.ts';
import { NUMBER_FUNCTIONS } from './number_functions.ts';
import type { EngineRelation, Operator, SpaceRelation, Syntax } from './operator.ts';
import { PLACES } from './places.ts';
import { RELATIONS } from './relations.ts';
import { SHAPE_MEASURES } from './shape_measures.ts';
import { TEXT } from './text.ts';
import { TEXT_FUNCTIONS } from './text_functions.ts';
import { TIMES } from './times.ts';
import { VERDICTS } from './verdicts.ts';

/** Every operator and function of the language, in the order in which they are offered. */
export const OPERATORS: readonly Operator[] = [
  ...LOGIC,
  ...COMPARING,
  ...ARITHMETIC_OPERATORS,
  ...RELATIONS,
  ...COVERING,
  ...MEASURES,
  ...PLACES,
  ...VERDICTS,
  ...TIMES,
  ...DATES,
  ...ARRAYS,
  ...TEXT,
  ...TEXT_FUNCTIONS,
  ...NUMBER_FUNCTIONS,
  ...CONVERSIONS,
  ...CHOICES,
  ...SHAPE_MEASURES,
];

const BY_NAME = new Map(OPERATORS.map((operator) => [operator.name, operator]));
const SPELLINGS = new Map(OPERATORS.map(({ name }) => [name.toUpperCase(), name]));

/** By its name as the tree has it; undefined where there is none. */
export function operatorNamed(name: string): Operator | undefined {
  return BY_NAME.get(name);
}

/** Signs that stand between two operands at a level of the grammar. */
export function signsAt(level: Extract<Syntax, { kind: 'infix' }>['level']): readonly string[] {
  return OPERATORS.flatMap(({ syntax }) => (syntax.kind === 'infix' && syntax.level === level ? [syntax.sign] : []));
}

/** As the text spells it. */
export function textName({ name, syntax }: Operator): string {
  return syntax.kind === 'infix' ? syntax.sign : name.toUpperCase();
}

/**
 * An operator or function as everything behind the border spells it. A name that is not known stays as it is, for the
 * checker to refuse.
 */
export function canonicalOp(name: string): string {
  return SPELLINGS.get(name.toUpperCase()) ?? name;
}

/** The expression with every operator spelled that way. */
export function canonicalExpr(expr: Expr): Expr {
  if (Array.isArray(expr)) return expr.map(canonicalExpr);
  if (typeof expr !== 'object') return expr;
  if (isInterval(expr)) return { interval: [canonicalExpr(expr.interval[0]), canonicalExpr(expr.interval[1])] };
  return isCall(expr) ? { op: canonicalOp(expr.op), args: expr.args.map(canonicalExpr) } : expr;
}

/** Functions as the text spells them, for completion, help and messages. */
export const FUNCTIONS: readonly { name: string; usage: string; meaning: string }[] = OPERATORS.filter(
  ({ syntax }) => syntax.kind === 'function',
).map((operator) => ({ name: textName(operator), ...operator.help }));

/** Whether an operator or function yields true or false. */
export const isTruth = ({ op }: Call): boolean => operatorNamed(op)?.result === 'boolean';

/** How two shapes have to lie in a call, or how far apart; null where it is about something else. */
export function spaceRelation({ op }: Call): SpaceRelation | null {
  const evaluation = operatorNamed(op)?.evaluation;
  return evaluation?.by === 'space' ? evaluation.relation : null;
}

/** The relation that the engine decides; null where it decides none in this call. */
export function engineRelationOf(call: Call): EngineRelation | null {
  const relation = spaceRelation(call);
  return relation?.kind === 'engine' ? relation : null;
}

/** Relations that a condition in space offers, by their names, with their words. */
export const AREA_RELATIONS = OPERATORS.flatMap(({ name, evaluation }) => {
  const relation = evaluation.by === 'space' ? evaluation.relation : null;
  const area = relation && 'area' in relation ? relation.area : null;
  return area && relation ? [{ name, ...area, round: relation.kind === 'meeting' }] : [];
});
