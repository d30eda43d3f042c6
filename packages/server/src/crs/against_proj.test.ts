import { execFileSync } from 'node:child_process';
import { fromLonLat, geodesicDistance, toLonLat, type Crs } from '@clean-sieve/core';
import { crsNamed, crsOfClue } from './epsg.ts';
import { listedSystem } from './systems.ts';

interface Figures {
  code: number;
  /** x, y of the system; longitude, latitude on WGS 84. */
  at: [number, number, number, number][];
  wkts: string[];
}

// Every third system, others each day; all with CLEAN_SIEVE_ALL_SYSTEMS set.
const every = process.env.CLEAN_SIEVE_ALL_SYSTEMS ? 1 : 3;
const first = Math.floor(Date.now() / 86_400_000) % every;
const called = `systems ${first}, ${first + every} …`;

// PROJ, an independent projection engine, through Debian's Python binding: systems of the EPSG list at five places,
// and their well-known text in the dialects of OGC 01-009, of shapefiles and of ISO 19162 (two editions).
let figures: Figures[];
beforeAll(() => {
  const script = new URL('../../../../scripts/epsg/figures.py', import.meta.url).pathname;
  const lines = execFileSync('/usr/bin/python3', [script, String(every), String(first)], { maxBuffer: 2 ** 30 })
    .toString()
    .trim()
    .split('\n');
  figures = lines.map((line) => JSON.parse(line) as Figures);
}, 600_000);

const usable = (code: number): Crs | null => {
  try {
    return crsNamed(String(code));
  } catch {
    return null;
  }
};
/** Metres between where the system and PROJ put a position, there and back. */
function off(crs: Crs, [x, y, lon, lat]: Figures['at'][number]): [number, number] {
  const [u, v] = toLonLat(crs)(x, y);
  const there = geodesicDistance(u, v, lon, lat);
  const [p, q] = toLonLat(crs)(...fromLonLat(crs)(lon, lat));
  return [there, geodesicDistance(p, q, lon, lat)];
}
const isOff = (crs: Crs, at: Figures['at']) => at.some((place) => !off(crs, place).every((metres) => metres < 0.02));

test(`${called}: every usable one puts positions where PROJ puts them, to 2 cm, and back`, () => {
  expect(figures.length).toBeGreaterThan(6000 / every);
  const tried = figures.filter(({ code, at }) => at.length > 0 && usable(code));
  expect(tried.length).toBeGreaterThan(6000 / every);
  expect(tried.filter(({ code, at }) => isOff(usable(code)!, at)).map(({ code }) => code)).toEqual([]);
});

test(`${called}: most are usable; the others are refused by name`, () => {
  const refused = figures.filter(({ code }) => !usable(code)).map(({ code }) => code);
  expect(refused.length / figures.length).toBeLessThan(0.03);
  for (const code of refused) expect(() => crsNamed(String(code))).toThrow(/not in the EPSG list|cannot be converted/);
});

test(`${called}: well-known text means the same system in every dialect, or is refused`, () => {
  let [read, refused] = [0, 0];
  const wrong: [number, string][] = [];
  for (const { code, at, wkts } of figures) {
    // Of two systems made of the same, the one in use is meant.
    const listed = listedSystem(code);
    // What is known of a system's relation only by a grid can be known of its twin otherwise.
    if (at.length === 0 || !listed || listed.deprecated || listed.shift === null) continue;
    for (const wkt of wkts) {
      // Without the code, as shapefiles have it, so that what it says of the system is all there is.
      const crs = crsOfClue({ kind: 'wkt', wkt: withoutCodes(wkt) });
      if (!crs) refused++;
      else {
        read++;
        // Several published transformations can be as good as each other, each for its own area.
        const allowed = crs.name === `EPSG:${code}` ? 0.02 : Math.max(2, listed.shift?.metres ?? 0);
        if (at.some((place) => off(crs, place)[0] > allowed)) wrong.push([code, wkt.slice(0, 200)]);
      }
    }
  }
  expect(wrong).toEqual([]);
  expect(refused / read).toBeLessThan(0.05);
});

const withoutCodes = (wkt: string) => wkt.replaceAll(/,\s*(?:AUTHORITY\["EPSG","?\d+"?\]|ID\["EPSG",\d+\])/g, '');
