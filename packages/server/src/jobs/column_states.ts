import { createHash } from 'node:crypto';
import {
  exprOfTree,
  hangsOnAsOf,
  madeFrom,
  nodesIn,
  propertiesIn,
  referencesIn,
  type Derivation,
  type Group,
  type JoinedDerivation,
  type PlacedDerivation,
  type ZonedDerivation,
} from '@clean-sieve/core';
import { Area, Sieve, Source, SourceColumn } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';

/** A derived column that is made from what stands outside of its own source. */
export type FromElsewhere = JoinedDerivation | PlacedDerivation | ZonedDerivation;
export const isFromElsewhere = (derivation: Derivation | null | undefined): derivation is FromElsewhere =>
  derivation?.kind === 'joined' || derivation?.kind === 'placed' || derivation?.kind === 'zoned';

/** The state of what is not there any more. */
const GONE = 'gone';

/** A column of a source. */
interface At {
  source: number;
  column: string;
}

/** The states of all that columns of the workspace can be made from. */
export class ColumnStates {
  readonly #columns: ReadonlyMap<string, { stamp: string; derivation: Derivation | null }>;
  readonly #places: ReadonlyMap<number, string>;
  readonly #sieves: ReadonlyMap<number, { source: number; tree: Group }>;
  readonly #areas: ReadonlyMap<number, string>;
  readonly #asOf: number;

  private constructor(
    columns: ReadonlyMap<string, { stamp: string; derivation: Derivation | null }>,
    places: ReadonlyMap<number, string>,
    sieves: ReadonlyMap<number, { source: number; tree: Group }>,
    areas: ReadonlyMap<number, string>,
    asOf: number,
  ) {
    [this.#columns, this.#places, this.#sieves, this.#areas, this.#asOf] = [columns, places, sieves, areas, asOf];
  }

  /** @param asOf the day that relative dates count from */
  static async of(em: Entities, asOf: number): Promise<ColumnStates> {
    const columns = await em.find(
      SourceColumn,
      {},
      { fields: ['source', 'name', 'stamp', 'derivation'] as const, disableIdentityMap: true },
    );
    const sources = await em.find(Source, {}, { fields: ['id', 'takenAt', 'shapes'] as const, disableIdentityMap: true });
    const sieves = await em.find(Sieve, {}, { fields: ['id', 'source', 'tree'] as const, disableIdentityMap: true });
    // Shapes can be large; they are looked at only where conditions are about them.
    const areas = new Set(sieves.flatMap(({ tree }) => referencesIn(tree as Group).flatMap(({ op, id }) => (op === 'AREA' ? [id] : []))));
    const shapes = await em.find(Area, { id: { $in: [...areas] } }, { disableIdentityMap: true });
    return new ColumnStates(
      new Map(columns.map(({ source, name, stamp, derivation }) => [keyOf(source.id, name), { stamp, derivation: derivation ?? null }])),
      new Map(sources.map(({ id, takenAt, shapes: used }) => [id, `${takenAt} ${used}`])),
      new Map(sieves.map(({ id, source, tree }) => [id, { source: source.id, tree: tree }])),
      new Map(shapes.map(({ id, shape }) => [id, digest(JSON.stringify(shape))])),
      asOf,
    );
  }

  /** What tells the present state of all that a column is made from elsewhere. */
  stateOf(derivation: FromElsewhere): string {
    const stamps = columnsOf(derivation).map(({ source, column }) => this.#columns.get(keyOf(source, column))?.stamp ?? GONE);
    if (derivation.kind === 'joined') return stamps.includes(GONE) ? GONE : stamps.join(' ');
    const { source } = derivation;
    const sieve = derivation.kind === 'zoned' ? derivation.sieve : null;
    return digest(JSON.stringify([this.#place(source), sieve === null ? null : this.#sieve(sieve, new Set()), stamps]));
  }

  isBehind(derivation: FromElsewhere): boolean {
    return this.stateOf(derivation) !== derivation.of;
  }

  /** Whether a condition or a column of another source is about a source or its sieves. */
  isAskedElsewhere(source: number): boolean {
    const isOwn = (id: number) => this.#sieves.get(id)?.source === source;
    const asks = ({ tree }: { tree: Group }) =>
      referencesIn(tree).some(({ op, id }) => (op === 'SOURCE' && id === source) || (op === 'SIEVE' && isOwn(id)));
    const isFrom = ({ derivation }: { derivation: Derivation | null }) => isFromElsewhere(derivation) && derivation.source === source;
    return [...this.#sieves.values()].some(asks) || [...this.#columns.values()].some(isFrom);
  }

  #place(source: number): string {
    return this.#places.get(source) ?? GONE;
  }

  #sieve(id: number, through: Set<number>): unknown {
    const sieve = this.#sieves.get(id);
    if (!sieve || through.has(id)) return GONE;
    through.add(id);
    const { source, tree } = sieve;
    const about = referencesIn(tree).map((one) => {
      if (one.op === 'AREA') return this.#areas.get(one.id) ?? GONE;
      return one.op === 'SOURCE' ? this.#place(one.id) : this.#sieve(one.id, through);
    });
    const expr = exprOfTree(tree);
    const day = expr !== null && hangsOnAsOf(expr) ? this.#asOf : null;
    return [tree, this.#place(source), namesIn(tree).map((name) => this.#columns.get(keyOf(source, name))?.stamp ?? GONE), about, day];
  }

  /**
   * The column of another source through which a column would be made of itself, as its source and name; null where it would not go
   * round.
   */
  roundThrough(own: At, derivation: Derivation): At | null {
    const seen = new Map<string, At>();
    const open = this.#behind(own.source, derivation);
    for (let next = open.pop(); next; next = open.pop()) {
      const key = keyOf(next.source, next.column);
      if (seen.has(key)) continue;
      seen.set(key, next);
      const made = this.#columns.get(key)?.derivation;
      if (made && key !== keyOf(own.source, own.column)) open.push(...this.#behind(next.source, made));
    }
    if (!seen.has(keyOf(own.source, own.column))) return null;
    return [...seen.values()].find(({ source }) => source !== own.source) ?? own;
  }

  /** The columns that one is made from, of its own source and elsewhere. */
  #behind(source: number, derivation: Derivation): At[] {
    const own = madeFrom(derivation).map((column) => ({ source, column }));
    if (!isFromElsewhere(derivation)) return own;
    const sieves = derivation.kind === 'zoned' && derivation.sieve !== null ? this.#sievesBehind(derivation.sieve) : [];
    const asked = sieves.flatMap((id) => {
      const { source: of, tree } = this.#sieves.get(id)!;
      return namesIn(tree).map((column) => ({ source: of, column }));
    });
    return [...own, ...columnsOf(derivation), ...asked];
  }

  /** A sieve with all that its conditions are about. */
  #sievesBehind(id: number): number[] {
    const found = new Set([id]);
    for (const one of found)
      for (const { op, id: about } of referencesIn(this.#sieves.get(one)?.tree ?? NO_TREE)) if (op === 'SIEVE') found.add(about);
    return [...found].filter((one) => this.#sieves.has(one));
  }
}

const NO_TREE: Group = { kind: 'group', id: 'none', combine: 'all', children: [] };
const keyOf = (source: number, column: string) => `${source} ${column}`;
const digest = (text: string) => createHash('sha256').update(text).digest('base64').slice(0, 22);

/** The columns that conditions ask. */
const namesIn = (tree: Group): string[] => [
  ...new Set([...nodesIn(tree)].flatMap(({ node }) => (node.kind === 'condition' ? propertiesIn(node.expr) : []))),
];

/** The columns of other sources that one is made from. */
function columnsOf(derivation: FromElsewhere): At[] {
  const { source } = derivation;
  const names =
    derivation.kind === 'zoned'
      ? [derivation.figure.column, derivation.figure.weight, derivation.figure.part?.column ?? null]
      : [...(derivation.kind === 'joined' ? derivation.pairs.map(({ other }) => other) : []), derivation.column];
  return names.flatMap((column) => (column === null ? [] : [{ source, column }]));
}
