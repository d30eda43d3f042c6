import type { MapFrame, Pass } from './paint.ts';

/** What the interface asks of the thread that draws: a picture of what a frame shows. The newest takes the place of those before that take long. */
export interface DrawMessage {
  number: number;
  frame: MapFrame;
  /** What is drawn; null: the same as before. */
  passes: Pass[] | null;
  /** Nothing is shown before everything is there. */
  whole: boolean;
}

/**
 * What it answers: a picture, which is not always the whole of it yet, or what went wrong, and with a tile of what. `deepest`: how many points lie on one
 * spot at most, where colours tell that; 0 elsewhere.
 */
export type DrawAnswer =
  | { kind: 'picture'; number: number; frame: MapFrame; picture: ImageBitmap; complete: boolean; deepest: number }
  | { kind: 'problem'; message: string; ofAll: string | null };
