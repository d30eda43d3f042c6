/** Bars side by side: of the source, of what is kept, and of what is picked, each from its top down to the foot. */
export interface BinBar {
  x: number;
  width: number;
  /** Where each begins, in pixels from above; null without picks. */
  all: number;
  kept: number;
  picked: number | null;
}
