import type { PlaneName } from '@clean-sieve/core';
import type { Shape } from '../../words/palette.ts';

/** How features are drawn. */
export interface Paint {
  colour: string;
  shape: Shape;
  /** Radius of point symbols and width of lines in CSS pixels. */
  radius: number;
  line: number;
  /** How polygons are filled; null leaves them open. */
  fill: Fill | null;
  rim: string | null;
  /** Colour of the edges of polygons; null: that of the rest. */
  outline: string | null;
  alpha: number;
  /** Colours of a crowd of points, where few and where most lie on one spot; null: all in the one colour. */
  deep: [few: string, most: string] | null;
}

export interface Fill {
  colour: string;
  /** Angle in degrees of lines over the colour; null for none. */
  hatch: number | null;
}

/** The features of one class of a classing: `codes` has the class of each row. */
export interface OfClass {
  codes: Uint8Array;
  /** Another one for other codes, as these are copied on the way to the thread that draws. */
  id: number;
  wanted: number;
  /** All classes of it that are drawn, the topmost last. */
  drawn: readonly number[];
}

/** Points and lines of different sizes. */
export interface Sizes {
  /** Of each row, of `LARGEST_LEVEL`; 0 for one without a size, which is drawn as a small ring. */
  levels: Uint8Array;
  /** Another one for other levels, as these are copied on the way to the thread that draws. */
  id: number;
  /** The radius of the largest mark, and the width of the widest line, in CSS pixels. */
  largest: number;
  widest: number;
  /** The points come in a pass of their own. */
  later: boolean;
  /** Colour and shape by class, and only these classes; null: all as the pass has it. They are drawn together, small over large. */
  classes: { codes: Uint8Array; id: number; marks: { wanted: number; colour: string; shape: Shape }[] } | null;
}

/** What tells sizes from any others. */
export const sizesKey = (sizes: Pass['sizes']) =>
  sizes && [sizes.id, sizes.largest, sizes.widest, sizes.later, sizes.classes && [sizes.classes.id, sizes.classes.marks]];

/** One pass over the features of a source. */
export interface Pass {
  sourceId: number;
  /** Another one whenever the features of the source are others. */
  state: string;
  paint: Paint;
  /** Bit a row: what is drawn; null all. */
  mask: Uint32Array | null;
  /** Another one for every mask, as masks are copied on the way to the thread that draws. */
  maskId: number;
  /** Only these of them; null all. */
  ofClass: OfClass | null;
  /** How large points and how wide lines are; null: all alike. */
  sizes: Sizes | null;
  /** What is asked of all that the source is a sample of (`WholeTileAsk` but for the plane, as JSON); null: drawn is what is held. */
  ofAll: string | null;
}

/** What of the world a picture shows. */
export interface MapFrame {
  plane: PlaneName;
  /** Middle in metres of the plane. */
  center: [number, number];
  /** Metres of that plane in a CSS pixel. */
  resolution: number;
  /** Device pixels. */
  width: number;
  height: number;
  /** Device pixels in a CSS pixel. */
  ratio: number;
}
