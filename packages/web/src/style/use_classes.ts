import { REST, type ClassCounts } from '@clean-sieve/core';
import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { useMapColours } from '../map/layers/map_colours.ts';
import type { ClassPass } from '../map/passes.ts';
import { largestRadius, mainKind, widestLine } from '../map/passes.ts';
import { useStyles } from '../stores/styles.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { cellText, columnText, headingOf } from '../words/cells.ts';
import { SHAPE_PATHS } from '../words/palette.ts';
import { isRun } from './run_of_colours.ts';
import { discPath, piecePath, sizeKey, widthKey } from './size_key.ts';
import { classPasses, shownClasses, type ShownClass } from './class_marks.ts';

/** A line of a key. */
export interface KeyEntry {
  name: string;
  kept: number | null;
  colour: string;
  path: string;
}

/** The classes that sieves and sources are drawn by, as they are shown. @param onPaper as in the light theme, whichever is on */
export function useClasses(onPaper = false) {
  const workspace = useWorkspace();
  const styles = useStyles();
  const colours = useMapColours(onPaper);

  /** In order; empty for what is drawn in one colour, or by a column that is gone. */
  function classesOf(styled: SieveInfo | SourceInfo): ShownClass[] {
    const classing = styled.style?.classing;
    const id = 'sourceId' in styled ? styled.sourceId : styled.id;
    const column = workspace.sources.find((source) => source.id === id)?.columns.find(({ name }) => name === classing?.column);
    if (!classing || !column) return [];
    const { dark, faint } = colours.value;
    const shades = { dark, faint };
    return shownClasses(classing, column, (value) => workspace.shownOf(column, value), shades);
  }

  /** What the map draws; null: in one colour. */
  function passesOf(styled: SieveInfo | SourceInfo): ClassPass[] | null {
    const drawn = styles.drawnOf(styled);
    const classes = drawn ? classesOf({ ...styled, style: drawn.style }) : [];
    return drawn && classes.length > 0 ? classPasses(classes, drawn.style, drawn.codes) : null;
  }

  /** The classes with how many are kept; the rest and blanks only where there are any. */
  function countedOf(styled: SieveInfo | SourceInfo, counts: ClassCounts | null) {
    return classesOf(styled).flatMap((one) => {
      const [all, kept] = counts ? [counts.all[one.number], counts.kept[one.number]] : [null, null];
      return one.number >= REST && all === 0 ? [] : [{ ...one, all, kept, hidden: styled.style!.hidden.includes(one.number) }];
    });
  }
  const active = computed(() => {
    const { target } = styles;
    return target ? countedOf(target, styles.counts).filter(({ number }) => !isRun(target.style?.classing) || number >= REST) : [];
  });

  const sourceOf = (styled: SieveInfo | SourceInfo) =>
    workspace.sources.find(({ id }) => id === ('sourceId' in styled ? styled.sourceId : styled.id));
  const columnOf = (styled: SieveInfo | SourceInfo, name: string | null | undefined) =>
    sourceOf(styled)?.columns.find((one) => one.name === name);
  /** What a run of colours goes from and to; null where there are classes, or none. */
  function runOf(styled: SieveInfo | SourceInfo) {
    const column = columnOf(styled, styled.style?.classing?.column);
    if (!isRun(styled.style?.classing) || !column || column.min === null || column.max === null) return null;
    const colours = classesOf(styled).flatMap(({ number, mark }) => (number < REST ? [mark.colour] : []));
    return { colours, low: columnText(column, column.min), high: columnText(column, column.max) };
  }
  /** What the sizes of marks say; null where they are all alike. */
  function sizesOf(styled: SieveInfo | SourceInfo) {
    const column = columnOf(styled, styled.style?.sizeBy);
    if (!column || column.type !== 'number') return null;
    const most = Number(column.max ?? 0);
    const lines = mainKind(sourceOf(styled)!) === 'LineString';
    return { column, lines, marks: lines ? widthKey(most, widestLine(styled.style)) : sizeKey(most, largestRadius(styled.style)) };
  }

  /**
   * The key to a sieve or a source as it stands on paper: what is drawn of it.
   * @param unit CSS pixels of the map in a unit of the paths
   */
  function keyOf(styled: SieveInfo | SourceInfo, unit: number): KeyEntry[] {
    const run = runOf(styled);
    const classes = countedOf(styled, styles.countsOf(styled)).filter(({ hidden, number }) => !hidden && (!run || number >= REST));
    const disc = SHAPE_PATHS.disc;
    const ends: KeyEntry[] = run
      ? [
          { name: `from ${run.low}`, kept: null, colour: run.colours[0], path: disc },
          { name: `to ${run.high}`, kept: null, colour: run.colours[run.colours.length - 1], path: disc },
        ]
      : [];
    const sizes = sizesOf(styled);
    // A mark that is larger than a line of the key is left out; those that follow tell the same.
    const sized = (sizes?.marks ?? []).filter(({ size }) => size <= 1.8 * unit);
    return [
      ...ends,
      ...classes.map(({ label, kept, mark }) => ({ name: label, kept, colour: mark.colour, path: SHAPE_PATHS[mark.shape] })),
      ...sized.map(({ value, size }) => ({
        name: `${headingOf(sizes!.column)}: ${cellText(value)}`,
        kept: null,
        colour: colours.value.faint,
        path: (sizes!.lines ? piecePath : discPath)(size / unit),
      })),
    ];
  }
  return { passesOf, active, keyOf, runOf, sizesOf };
}
