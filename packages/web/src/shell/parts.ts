/** Parts of the surface that the keyboard is sent to, each marked with `data-part` where it stands. */
const PARTS = {
  /** The first condition, or where one is added. */
  conditions: '[data-row], [data-part="add"]',
  add: '[data-part="add"]',
  map: '[data-part="map"]',
  dock: '[data-part="dock"] [aria-selected="true"]',
} as const;
export type Part = keyof typeof PARTS;

/** Gives the keyboard to a part; where it is not there nothing changes. */
export function goTo(part: Part): void {
  document.querySelector<HTMLElement>(PARTS[part])?.focus();
}
