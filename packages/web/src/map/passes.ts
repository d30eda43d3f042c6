import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { interpolateRgb } from 'd3';
import { stateOf } from '../sources/state.ts';
import { colourOf, PALETTE, type Shape } from '../words/palette.ts';
import type { Paint, Pass, Sizes } from './drawing/paint.ts';

/** One class as the map draws it. */
export interface ClassPass {
  mark: { colour: string; shape: Shape; hatch: number | null };
  codes: Uint8Array;
  wanted: number;
}

export interface Scene {
  sources: SourceInfo[];
  sieves: SieveInfo[];
  activeSource: SourceInfo | null;
  activeSieve: SieveInfo | null;
  maskOf: (sieveId: number) => Uint32Array | null;
  /** How the features of a sieve, or of a source as a whole, are drawn by class, bottom first; null: in one colour. */
  classesOf: (styled: SieveInfo | SourceInfo) => ClassPass[] | null;
  /** The level of each feature's radius; null: all are alike. */
  levelsOf: (styled: SieveInfo | SourceInfo) => Uint8Array | null;
  /** Shown in place of the active sieve's kept features. */
  nearMisses: Uint32Array | null;
  /** What is asked of all that the active source is a sample of (`Pass`); null: only the sample is drawn. */
  ofAll: string | null;
  /** Features of the active source picked by hand; null for none. */
  picks: Uint32Array | null;
  hidden: ReadonlySet<number>;
  showSifted: boolean;
  colours: { dark: boolean; land: string; coast: string; context: string; faint: string; rim: string; violet: string };
}

/** Areas below lines below points. */
const KINDS = ['Polygon', 'LineString', 'Point'];

/** What the map draws, bottom first: ground, context, sifted-out features, other sieves, the active one, picks. */
export function passesOf(scene: Scene): Pass[] {
  const passes: Pass[] = [];
  const add = (
    source: SourceInfo | undefined,
    paint: Paint,
    mask: Uint32Array | null,
    { ofClass = null, sizes = null }: Partial<Pick<Pass, 'ofClass' | 'sizes'>> = {},
  ) => {
    if (source) passes.push({ sourceId: source.id, state: stateOf(source), paint, mask, maskId: idOf(mask), ofClass, sizes, ofAll: null });
  };
  const sizesOf = (styled: SieveInfo | SourceInfo): Sizes | null => {
    const levels = scene.levelsOf(styled);
    const [largest, widest] = [largestRadius(styled.style), widestLine(styled.style)];
    return levels && { levels, id: idOf(levels), largest, widest, later: false, classes: null };
  };
  /** @returns whether there are classes */
  const addClasses = (source: SourceInfo | undefined, styled: SieveInfo | SourceInfo, mask: Uint32Array | null, radius: number) => {
    const classes = scene.classesOf(styled);
    const drawn = (classes ?? []).map(({ wanted }) => wanted);
    const sizes = sizesOf(styled);
    for (const { mark, codes, wanted } of classes ?? []) {
      // Where there are only points, all of them come below.
      if (sizes && source && hasOnlyPoints(source)) break;
      const painted = asStyled(classPaint(mark, source, scene.colours.rim, radius), styled);
      add(source, painted, mask, { ofClass: { codes, id: idOf(codes), wanted, drawn }, sizes: sizes && { ...sizes, later: true } });
    }
    const [first] = classes ?? [];
    if (sizes && classes && first) {
      const { codes } = first;
      const marks = classes.map(({ mark: { colour, shape }, wanted }) => ({ wanted, colour, shape }));
      const painted = asStyled(paint('', { rim: scene.colours.rim, line: 0 }), styled);
      add(source, painted, mask, { sizes: { ...sizes, classes: { codes, id: idOf(codes), marks } } });
    }
    return classes !== null;
  };
  const { colours } = scene;
  for (const source of scene.sources) {
    if (source.role === 'ground') add(source, groundPaint(source, colours), null);
  }
  const others = scene.sources.filter(
    (source) => source.role === 'layer' && !scene.hidden.has(source.id) && source.id !== scene.activeSource?.id,
  );
  for (const kind of KINDS) {
    for (const source of others)
      if (source.below && mainKind(source) === kind && !addClasses(source, source, null, 2.4))
        add(source, groundPaint(source, colours), null);
  }
  const context = others.filter(({ below }) => !below);
  for (const kind of KINDS) {
    for (const source of context) {
      if (mainKind(source) !== kind) continue;
      const line = kind === 'LineString' ? 1.4 : 0.8;
      add(
        source,
        paint(kind === 'LineString' ? colours.rim : colours.context, {
          radius: 1,
          line,
          alpha: kind === 'Point' ? 0.25 : 0.8,
        }),
        null,
      );
    }
  }
  for (const sieve of scene.sieves) {
    if (!sieve.visible || sieve.id === scene.activeSieve?.id) continue;
    const mask = scene.maskOf(sieve.id);
    const of = scene.sources.find(({ id }) => id === sieve.sourceId);
    if (mask && !addClasses(of, sieve, mask, 3.2))
      add(of, asStyled(strong(sieve.colour, colours, 3.2), sieve), mask, { sizes: sizesOf(sieve) });
  }
  const withPicks = () => {
    if (scene.picks)
      add(
        source ?? undefined,
        paint(colours.violet, { radius: 5, line: 3, rim: colours.rim, fill: { colour: `${colours.violet}40`, hatch: null } }),
        scene.picks,
      );
    return passes;
  };
  const { activeSource: source, activeSieve: sieve } = scene;
  /** What the passes from one on draw of a sample is drawn of all as well, over it: until that has come, the sample is to be seen. */
  const ofAll = (from: number) => {
    if (scene.ofAll === null) return;
    const sample = passes.splice(from);
    // What the style makes one see through would be darker where it is drawn twice.
    if (((sieve ?? source)?.style?.opacity ?? 1) === 1) passes.push(...sample);
    for (const { ofClass, ...pass } of sample)
      passes.push({
        ...{ ...pass, ofAll: scene.ofAll, mask: null, maskId: 0 },
        ofClass: ofClass && { ...ofClass, codes: NUMBERS, id: idOf(NUMBERS) },
      });
  };
  if (!source) return passes;
  const mask = sieve ? scene.maskOf(sieve.id) : null;
  const before = passes.length;
  if (!sieve && addClasses(source, source, null, 3)) {
    ofAll(before);
    return withPicks();
  }
  if (!sieve) {
    add(
      source,
      asStyled(
        paint(colours.faint, { radius: 1.5, line: 1.2, alpha: 0.8, fill: null, deep: deepOf(colours.faint, colours.dark, colours.rim) }),
        source,
      ),
      null,
      { sizes: sizesOf(source) },
    );
    ofAll(before);
  } else if (mask) {
    // All of them: what is kept covers its own faint mark, and a moved bound leaves this pass as it is.
    if (scene.showSifted) add(source, paint(colours.faint, { radius: 1.05, line: 0.8, alpha: 0.34 }), null);
    const drawn = scene.nearMisses ?? mask;
    const first = passes.length;
    if (!addClasses(source, sieve, drawn, 4))
      add(source, asStyled(strong(sieve.colour, colours, 4), sieve), drawn, { sizes: sizesOf(sieve) });
    ofAll(first);
  }
  return withPicks();
}

/** What a small map draws: the ground, some features of a source faintly, and those of them that are kept. */
export function smallPasses(
  sources: readonly SourceInfo[],
  source: SourceInfo,
  { some, kept, colour }: { some: Uint32Array; kept: Uint32Array; colour: string },
  colours: Scene['colours'],
): Pass[] {
  const pass = (of: SourceInfo, painted: Paint, mask: Uint32Array | null): Pass => ({
    ...{ sourceId: of.id, state: stateOf(of), paint: painted },
    ...{ mask, maskId: idOf(mask), ofClass: null, sizes: null, ofAll: null },
  });
  const ground = paint(colours.coast, { fill: { colour: colours.land, hatch: null }, line: 0.6 });
  return [
    ...sources.filter(({ role }) => role === 'ground').map((one) => pass(one, ground, null)),
    pass(source, paint(colours.faint, { radius: 0.8, line: 0.6, alpha: 0.5 }), some),
    pass(source, paint(colour, { radius: 1.4, line: 1.2, fill: { colour: `${colour}b0`, hatch: null } }), kept),
  ];
}

/** The class of each row where rows are numbers of classes. */
const NUMBERS = Uint8Array.from({ length: 256 }, (_, number) => number);

const ids = new WeakMap<Uint32Array | Uint8Array, number>();
let masks = 0;
/** A number of its own for each mask or list of classes; 0 for none. */
export function idOf(mask: Uint32Array | Uint8Array | null): number {
  if (!mask) return 0;
  let id = ids.get(mask);
  if (id === undefined) ids.set(mask, (id = ++masks));
  return id;
}

export const hasOnlyPoints = ({ geometryTypes }: SourceInfo): boolean =>
  Object.keys(geometryTypes).every((type) => /Point$|None/.test(type));

/** Point, LineString or Polygon: what most of its features are. */
export function mainKind(source: Pick<SourceInfo, 'geometryTypes'>): string {
  const entries = Object.entries(source.geometryTypes).filter(([type]) => type !== 'None');
  const [type] = entries.sort((a, b) => b[1] - a[1])[0] ?? ['Point'];
  return type.replace('Multi', '');
}

function paint(colour: string, rest: Partial<Paint>): Paint {
  return { colour, shape: 'disc', radius: 2, line: 1, fill: null, rim: null, outline: null, alpha: 1, deep: null, ...rest };
}

/** As the land is drawn, and what lies on it. */
function groundPaint(source: SourceInfo, { land, coast, context }: Scene['colours']): Paint {
  if (mainKind(source) !== 'Polygon') return paint(context, { radius: 1.4, line: 1.2 });
  return paint(coast, { fill: { colour: land, hatch: null }, line: 1 });
}

function strong(index: number, { dark, rim }: Scene['colours'], radius: number): Paint {
  const { shape, hatch } = PALETTE[index];
  const colour = colourOf(index, dark);
  return paint(colour, { shape, radius, line: 2.2, rim, fill: { colour, hatch }, deep: deepOf(colour, dark, rim) });
}

/** As large and as opaque as the style says. */
function asStyled(painted: Paint, { style }: Pick<SieveInfo, 'style'>): Paint {
  const { size = 1, opacity = 1 } = style ?? {};
  return { ...painted, radius: painted.radius * size, line: painted.line * size, alpha: painted.alpha * opacity };
}

/** Radius in CSS pixels of the largest mark where marks are as large as a number. */
export const largestRadius = (style: SieveInfo['style']): number => 16 * (style?.size ?? 1);

/** Width in CSS pixels of the widest line where lines are as wide as a number. */
export const widestLine = (style: SieveInfo['style']): number => 12 * (style?.size ?? 1);

/** From a colour nearer to the ground to one farther from it; even the first stands out. */
export const deepOf = (colour: string, dark: boolean, rim: string): [string, string] => [
  interpolateRgb(colour, rim)(0.3),
  interpolateRgb(colour, dark ? '#ffffff' : '#0b1410')(0.6),
];

function classPaint({ colour, shape, hatch }: ClassPass['mark'], source: SourceInfo | undefined, rim: string, radius: number): Paint {
  // Neighbours of one class are still told apart.
  const outline = hatch === null && source && mainKind(source) === 'Polygon' ? rim : null;
  return paint(colour, { shape, radius, line: outline ? 1 : 1.8, rim, outline, fill: { colour, hatch } });
}
