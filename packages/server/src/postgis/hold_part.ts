import type { Box, Expr } from '@clean-sieve/core';
import type { Report } from '../fetching/listening.ts';
import { Source } from '../store/entities.ts';
import { holdAnswer } from '../store/held_answers.ts';
import { entities, type Store } from '../store/store.ts';
import { readWhole } from './whole_table.ts';

/** No more features than these are held of what is near to others. */
const MOST_NEAR = 2_000_000;

/** What of a sampled source is to be held (`fetching/near_parts`). */
export interface PartTask {
  sourceId: number;
  /** By names. */
  expr: Expr | null;
  boxes: Box[];
  metres: number;
  /** The name that it is held by. */
  held: string;
  asOf: number;
}

/** Reads all that lies in some boxes of a source of which a sample is held, and holds it beside that. Throws a ReadError. */
export async function holdPart(orm: Store, { sourceId, expr, boxes, metres, held, asOf }: PartTask, report: Report): Promise<void> {
  const em = entities(orm);
  const source = await em.findOneOrFail(Source, { id: sourceId }, { populate: ['columns'] });
  const { table, askedAt, remarks } = await readWhole(orm, source, { expr, asOf, wherein: { boxes, most: MOST_NEAR } }, report);
  await holdAnswer(em, held, table, () => report(1, 'Holding what came'), { rows: table.rows, metres, askedAt, remarks });
}
