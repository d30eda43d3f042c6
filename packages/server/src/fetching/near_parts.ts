import { createHash } from 'node:crypto';
import {
  areasIn,
  boxesAround,
  countsOthers,
  exprOfTree,
  FilterError,
  hangsOnAsOf,
  idOf,
  isGeographic,
  named,
  operandReaches,
  REACH,
  roomForBends,
  sampledOf,
  type Box,
  type Directory,
  type Expr,
  type FeatureTable,
  type Group,
  type NearTold,
} from '@clean-sieve/core';
import { current } from '../crs/epsg.ts';
import { Sieve, Source, type SourceRow } from '../store/entities.ts';
import { heldAnswer, heldNames } from '../store/held_answers.ts';
import type { Entities } from '../store/store.ts';
import { areaShapes, directory } from '../workspace_state.ts';

/**
 * Of a source of which only a sample is held, what is near to another one: that is all that matters where it is a place for that. It is
 * asked for before the question is answered, and held beside what live sources answered.
 */

/** For what the source is named. */
export interface AskedNear {
  /** The source whose features are asked. */
  by: number;
  /** How far round those it matters, in metres. */
  metres: number;
  /** What of it is meant, by names; null where all of it is. */
  expr: Expr | null;
}

export interface NearPart {
  source: SourceRow;
  /** Name of the source whose features are asked. */
  by: string;
  /** How far round those all features are asked for, in metres. */
  metres: number;
  /** In degrees; features that meet none of them are farther off. */
  boxes: Box[];
  expr: Expr | null;
  /** What is common to the names of all that is held of the same, however far round. */
  group: string;
}

/** A part as it is held. */
export interface HeldPart {
  table: FeatureTable;
  /** Tells it from any other. */
  state: string;
  told: Omit<NearTold, 'called'>;
}

/**
 * The part of a sampled source that is needed where it is named. Throws a FilterError where no part of it will do.
 * @param source with its columns
 */
export async function nearPart(em: Entities, source: SourceRow, { by, metres, expr }: AskedNear, asOf: number): Promise<NearPart> {
  const asking = await em.findOneOrFail(Source, { id: by });
  const cannot = (why: string) =>
    new FilterError(
      `Of ${source.name} only a sample is held, and ${why}`,
      null,
      'Ask for less of it (“ask for …”, “show all in view”), so that all of it can be held',
    );
  if (sampledOf(asking.fetchedFrom ?? null) !== null) throw cannot(`of ${asking.name} too: what is near to all of it cannot be told`);
  if (!Number.isFinite(metres)) throw cannot('this hangs on all of it, however far off it is');
  if (expr !== null && countsOthers(expr)) throw cannot('its conditions hang on other features of it');
  const areas = await areaShapes(em);
  // A handle is moved and a curve drawn without asking anew.
  const wide = rounded(Math.max(REACH * metres, 1));
  const key = {
    ...{ source: source.id, answer: source.fetchedFrom!.live!.held, by, extent: asking.extent, crs: asking.crs.name, expr },
    ...{ areas: areasIn(expr ?? true).map((name) => areas.get(name) ?? null), asOf: expr !== null && hangsOnAsOf(expr) ? asOf : null },
  };
  return {
    ...{ source, by: asking.name, metres: wide, expr, boxes: boxesRound(asking, wide) },
    group: `near-${createHash('sha256').update(JSON.stringify(key)).digest('hex').slice(0, 24)}`,
  };
}

/** The next of 1, 2, 5, 10, 20 … metres. */
function rounded(metres: number): number {
  const unit = 10 ** Math.floor(Math.log10(metres));
  return [1, 2, 5, 10].map((step) => step * unit).find((step) => step >= metres)!;
}

/** Shapes are taken to other systems to the millimetre. */
const TO_THE_CENTIMETRE = 0.01;
const WORLD: Box = [-180, -90, 180, 90];

/** Boxes, in degrees, in which lies all that comes within a distance of the features of a source. */
function boxesRound({ extent, crs }: SourceRow, metres: number): Box[] {
  // Without a feature that has a place nothing is near.
  if (!extent) return [[0, 0, 0, 0]];
  const [west, south, east, north] = extent;
  const parts: Box[] =
    west <= east
      ? [extent]
      : [
          [west, south, 180, north],
          [-180, south, east, north],
        ];
  return (
    parts
      // The extent is that of the corners, between which edges of a plane bend in degrees.
      .map((part) => (isGeographic(crs) ? part : (roomForBends(part) ?? WORLD)))
      .flatMap((part) => boxesAround(part, metres + TO_THE_CENTIMETRE))
      .map(([w, s, e, n]): Box => [Math.max(-180, w), Math.max(-90, s), Math.min(180, e), Math.min(90, n)])
  );
}

/** The parts that trees about a source need, each once; what is wrong with a tree is left to whoever answers it. */
export async function partsNeeded(em: Entities, sourceId: number, trees: readonly Group[], asOf: number): Promise<NearPart[]> {
  if (!(await hasSamples(em))) return [];
  const names = await directory(em);
  const parts = new Map<string, NearPart>();
  await look(sourceId, exprsOf(trees, names), new Set());
  return [...parts.values()];

  async function look(by: number, exprs: readonly Expr[], through: ReadonlySet<number>): Promise<void> {
    for (const { ref, metres } of operandReaches([...exprs])) {
      const about = idOf(names[ref.op], ref.args[0]);
      if (about === null) continue;
      const sieve = ref.op === 'SIEVE' ? await em.findOne(Sieve, { id: about }) : null;
      if (sieve && through.has(sieve.id)) continue;
      const source = await em.findOne(Source, { id: sieve ? sieve.source.id : about }, { populate: ['columns'] });
      if (!source) continue;
      const [expr = null] = sieve ? exprsOf([sieve.tree], names) : [];
      if (isSample(source)) await need(source, { by, metres, expr });
      if (sieve && expr !== null) await look(source.id, [expr], new Set([...through, sieve.id]));
    }
  }
  async function need(source: SourceRow, asked: AskedNear): Promise<void> {
    try {
      const part = await nearPart(em, source, asked, asOf);
      const before = parts.get(part.group);
      if (!before || before.metres < part.metres) parts.set(part.group, part);
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
    }
  }
}

export const isSample = ({ fetchedFrom }: SourceRow): boolean => sampledOf(fetchedFrom ?? null) !== null;

async function hasSamples(em: Entities): Promise<boolean> {
  return (await em.find(Source, { fetchedFrom: { $ne: null } })).some(isSample);
}

const exprsOf = (trees: readonly Group[], names: Directory): Expr[] => trees.flatMap((tree) => exprOfTree(named(tree, names)) ?? []);

/** Name of the answer in which a part is held, with at least as much round it; null where it is not. */
export async function heldAs(em: Entities, { group, metres }: NearPart): Promise<string | null> {
  const far = (name: string) => Number(name.slice(group.length + 1));
  const held = (await heldNames(em)).filter((name) => name.startsWith(`${group}-`) && far(name) >= metres);
  return held.sort((a, b) => far(a) - far(b)).at(0) ?? null;
}

/** The name that a part is held by when it has come. */
export const nameOfPart = ({ group, metres }: NearPart): string => `${group}-${metres}`;

/** The part as it is held. Throws a FilterError where it was not asked for. */
export async function loadPart(em: Entities, part: NearPart): Promise<HeldPart> {
  const name = await heldAs(em, part);
  const answer = name === null ? null : await heldAnswer(em, name);
  if (name === null || !answer?.near)
    throw new FilterError(
      `What of ${part.source.name} is near to ${part.by} has not been asked for`,
      null,
      'Open a sieve of it, which asks for it',
    );
  const { near, columns, geometry } = answer;
  return {
    table: { rows: near.rows, columns, geometry, crs: current(part.source.crs) },
    state: name,
    told: { source: part.source.name, features: near.rows, by: part.by, metres: near.metres, askedAt: near.askedAt, remarks: near.remarks },
  };
}
