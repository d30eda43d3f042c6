import { BLANK, REST, type BySteps, type Classing, type Style } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { dayInWords, formatDay, formatInstant } from '@clean-sieve/core';
import type { ClassPass } from '../map/passes.ts';
import { cellText } from '../words/cells.ts';
import { colourOf, PALETTE } from '../words/palette.ts';
import { rampColours } from './ramps.ts';

export type Mark = ClassPass['mark'];

/** One class as legend and map have it. */
export interface ShownClass {
  number: number;
  mark: Mark;
  label: string;
}

/**
 * The classes of a classing with their marks and what they are called: in its order, then the rest, then blanks.
 * @param shown how a value of the column is written
 * @param faint colour of what is in no class of its own
 */
export function shownClasses(
  classing: Classing,
  column: ColumnInfo,
  shown: (value: string | number | boolean) => string,
  { dark, faint }: { dark: boolean; faint: string },
): ShownClass[] {
  const blank: ShownClass = { number: BLANK, mark: { colour: faint, shape: 'ring', hatch: null }, label: 'blank' };
  if (classing.kind === 'values') {
    const own = classing.classes.map(({ value, mark }, number) => ({
      number,
      mark: { colour: colourOf(mark.colour, dark), shape: PALETTE[mark.shape].shape, hatch: PALETTE[mark.shape].hatch },
      label: value === '' ? 'empty text' : shown(value),
    }));
    return [...own, { number: REST, mark: { colour: faint, shape: 'disc', hatch: null }, label: 'the rest' }, blank];
  }
  const colours = rampColours(classing.ramp, classing.bounds.length + 1, classing.middle, dark);
  const own = colours.map((colour, number) => ({
    number,
    mark: { colour, ...besideColour(classing, number) },
    label: stepLabel(column, classing.bounds, number),
  }));
  return [...own, blank];
}

/**
 * What tells a step beside its colour. Steps of a run are darker and darker; of one that parts in two directions both ends are
 * dark, so that what is below the middle has another shape and is hatched.
 */
function besideColour({ middle, patterned }: BySteps, number: number): Pick<Mark, 'shape' | 'hatch'> {
  const { shape, hatch } = PALETTE[number % PALETTE.length];
  if (patterned) return { shape, hatch };
  return middle !== null && number <= middle ? { shape: 'square', hatch: 135 } : { shape: 'disc', hatch: null };
}

/** A bound as it is read. */
export function boundText({ type }: Pick<ColumnInfo, 'type'>, bound: number): string {
  if (type === 'date') return dayInWords(formatDay(bound));
  if (type !== 'datetime') return cellText(Number(bound.toPrecision(6)));
  const text = formatInstant(bound, 0);
  return text.endsWith('T00:00:00Z') ? dayInWords(text.slice(0, 10)) : `${dayInWords(text.slice(0, 10))} ${text.slice(11, 16)}`;
}

function stepLabel(column: ColumnInfo, bounds: readonly number[], number: number): string {
  const times = column.type !== 'number';
  const whole = bounds.map((bound) => boundText(column, bound));
  // Where every class begins with a year, the years say it.
  const texts = times && whole.every((text) => /^1 Jan \d+$/.test(text)) ? whole.map((text) => text.slice(6)) : whole;
  if (texts.length === 0) return 'all values';
  if (number === 0) return `${times ? 'before' : 'below'} ${texts[0]}`;
  if (number === texts.length) return `${texts[number - 1]} ${times ? 'and later' : 'or more'}`;
  return `${texts[number - 1]} to ${times ? 'before' : 'below'} ${texts[number]}`;
}

/** What the map draws of a style, bottom first: blanks and the rest below all others. */
export function classPasses(classes: readonly ShownClass[], style: Style, codes: Uint8Array): ClassPass[] {
  const drawn = classes.filter(({ number }) => !style.hidden.includes(number));
  const below = drawn.filter(({ number }) => number >= REST).reverse();
  const above = drawn.filter(({ number }) => number < REST);
  return [...below, ...above].map(({ number, mark }) => ({ mark, codes, wanted: number }));
}
