import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { stateOf } from '../sources/state.ts';
import { PALETTE } from '../words/palette.ts';
import type { Paint, Pass } from './drawing/paint.ts';

export interface Scene {
  sources: SourceInfo[];
  sieves: SieveInfo[];
  activeSource: SourceInfo | null;
  activeSieve: SieveInfo | null;
  maskOf: (sieveId: number) => Uint32Array | null;
  /** Shown in place of the active sieve's kept features. */
  nearMisses: Uint32Array | null;
  /** Features of the active source picked by hand; null for none. */
  picks: Uint32Array | null;
  hidden: ReadonlySet<number>;
  showSifted: boolean;
  colours: { land: string; coast: string; context: string; faint: string; rim: string; violet: string };
}

/** What the map draws, bottom first: ground, context, sifted-out features, other sieves, the active one, picks. */
export function passesOf(scene: Scene): Pass[] {
  const passes: Pass[] = [];
  const add = (source: SourceInfo | undefined, paint: Paint, mask: Uint32Array | null) => {
    if (source) passes.push({ sourceId: source.id, state: stateOf(source), paint, mask, maskId: idOf(mask) });
  };
  const { colours } = scene;
  for (const source of scene.sources) {
    if (source.role === 'ground') add(source, paint(colours.coast, { fill: { colour: colours.land, hatch: null }, line: 1 }), null);
  }
  const context = scene.sources.filter(
    (source) => source.role === 'layer' && !scene.hidden.has(source.id) && source.id !== scene.activeSource?.id,
  );
  // Areas below lines below points.
  for (const kind of ['Polygon', 'LineString', 'Point']) {
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
    if (mask)
      add(
        scene.sources.find(({ id }) => id === sieve.sourceId),
        strong(sieve.colour, colours.rim, 3.2),
        mask,
      );
  }
  const { activeSource: source, activeSieve: sieve } = scene;
  if (!source) return passes;
  const mask = sieve ? scene.maskOf(sieve.id) : null;
  if (!sieve) add(source, paint(colours.faint, { radius: 1.5, line: 1.2, alpha: 0.8, fill: null }), null);
  else if (mask) {
    // All of them: what is kept covers its own faint mark, and a moved bound leaves this pass as it is.
    if (scene.showSifted) add(source, paint(colours.faint, { radius: 1.05, line: 0.8, alpha: 0.34 }), null);
    add(source, strong(sieve.colour, colours.rim, 4), scene.nearMisses ?? mask);
  }
  if (scene.picks)
    add(
      source,
      paint(colours.violet, { radius: 5, line: 3, rim: colours.rim, fill: { colour: `${colours.violet}40`, hatch: null } }),
      scene.picks,
    );
  return passes;
}

const ids = new WeakMap<Uint32Array, number>();
let masks = 0;
/** A number of its own for each mask; 0 for none. */
function idOf(mask: Uint32Array | null): number {
  if (!mask) return 0;
  let id = ids.get(mask);
  if (id === undefined) ids.set(mask, (id = ++masks));
  return id;
}

function mainKind(source: SourceInfo): string {
  const entries = Object.entries(source.geometryTypes).filter(([type]) => type !== 'None');
  const [type] = entries.sort((a, b) => b[1] - a[1])[0] ?? ['Point'];
  return type.replace('Multi', '');
}

function paint(colour: string, rest: Partial<Paint>): Paint {
  return { colour, shape: 'disc', radius: 2, line: 1, fill: null, rim: null, alpha: 1, ...rest };
}

function strong(index: number, rim: string, radius: number): Paint {
  const { colour, shape, hatch } = PALETTE[index];
  return paint(colour, { shape, radius, line: 2.2, rim, fill: { colour, hatch } });
}
