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
  alpha: number;
}

export interface Fill {
  colour: string;
  /** Angle in degrees of lines over the colour; null for none. */
  hatch: number | null;
}

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
}

/** What of the world a picture shows. */
export interface MapFrame {
  /** Middle in web Mercator metres. */
  center: [number, number];
  /** Metres of that plane in a CSS pixel. */
  resolution: number;
  /** Device pixels. */
  width: number;
  height: number;
  /** Device pixels in a CSS pixel. */
  ratio: number;
}
