import { layerDifferences, noteDifferences, noteHtml, noteMarkdown, type ExtractNote, type NoteLayer } from './note.ts';

const LAYER: NoteLayer = {
  name: 'Old *oaks*',
  source: 'Trees',
  kept: 921,
  of: 24_000,
  sentence: 'girth 250 cm or more',
  conditions: ['girth 250 cm or more', 'name contains <b>|</b>'],
  filter: 'girth_cm >= 250\n  AND height_m > 3',
  tree: { kind: 'group', id: 'root', combine: 'all', children: [] },
  picks: null,
  columns: [
    {
      name: 'girth',
      from: 'girth_cm',
      type: 'number',
      unit: 'cm',
      title: 'Girth',
      description: 'at 1 m | breast height',
      blanks: 1180,
      codeList: null,
      codes: 'code',
    },
    {
      name: 'species',
      from: 'species',
      type: 'text',
      unit: '',
      title: null,
      description: null,
      blanks: 0,
      codeList: 'Species',
      codes: 'meaning',
    },
  ],
  choices: [],
  shape: { kind: 'buffer', metres: 15 },
  crs: { name: 'EPSG:32632', label: 'WGS 84 / UTM zone 32N' },
  ownCrs: false,
  order: { column: 'girth', descending: true },
  cut: null,
  remarks: ['Columns renamed: girth_cm is called girth'],
  drawn: {
    style: { classing: null, hidden: [], opacity: 1, sizeBy: 'girth_cm' },
    legend: [{ label: 'girth_cm: 200', colour: '#56685f' }],
  },
  digest: { rows: 921, columns: { girth: 'aa', species: 'bb' }, shapes: 'cc' },
};
const NOTE: ExtractNote = {
  note: 'Clean Sieve extract',
  version: 1,
  title: 'Crews <script>alert(1)</script>',
  madeAt: '2026-11-24T09:30:00.000Z',
  asOf: '2026-11-20',
  format: 'geopackage',
  formatLabel: 'GeoPackage',
  coordinates: null,
  guarded: true,
  zip: false,
  layers: [LAYER],
  sources: [
    {
      name: 'Trees',
      file: 'trees.geojson',
      layer: null,
      format: 'geojson',
      sha256: 'f'.repeat(64),
      takenAt: '2026-11-01T00:00:00.000Z',
      rows: 24_000,
      crs: { name: 'OGC:CRS84', label: 'longitude, latitude' },
      shapes: 'repaired',
      notes: ['2 features had no shape'],
      derived: [{ name: 'planted_day', derivation: { from: 'planted', as: 'date' } as never }],
      reading: { crs: null, longitude: null, latitude: null, wkt: null },
    },
  ],
  areas: [{ name: 'Harbour', shape: { type: 'Point', coordinates: [8, 47] } as never, text: 'POINT(8 47)' }],
  sieves: [{ name: 'Dark', source: 'Paths', tree: LAYER.tree, text: null }],
  codeLists: [
    {
      name: 'Species',
      entries: [
        ['0101', 'oak'],
        ['0142', 'plane | sycamore'],
      ],
    },
  ],
};
const changed = (more: Partial<ExtractNote>): ExtractNote => ({ ...NOTE, ...more });
const other: NoteLayer = { ...LAYER, digest: { ...LAYER.digest, columns: { girth: 'xx', species: 'bb' } } };

test('the note says in Markdown all that its reader needs, and takes no text for marks', () => {
  const text = noteMarkdown(NOTE);
  expect(text).toContain('| \\#56685f | girth\\_cm: 200 |');
  for (const said of [
    'Relative dates count from 20 Nov 2026',
    'Made on 24 Nov 2026 at 09:30 UTC, as GeoPackage',
    '921 of 24,000 features of Trees: girth 250 cm or more.',
    '    girth_cm >= 250\n      AND height_m > 3',
    'Shapes: everything within 15 m of each. Coordinates: WGS 84 / UTM zone 32N (EPSG:32632). Rows are ordered by girth, falling.',
    'Columns renamed: girth\\_cm is called girth',
    '| girth (was girth\\_cm) | number | cm | 1,180 | Girth; at 1 m \\| breast height |',
    'meanings by the list Species',
    'Invalid shapes were repaired.',
    'planted\\_day is planted read as date',
    '| 0142 | plane \\| sycamore |',
    './clean-sieve run NOTE.json trees.geojson',
    '- name contains \\<b\\>\\|\\</b\\>',
  ])
    expect(text).toContain(said);
  // Every row of a table has as many cells as its head.
  const cells = (line: string) => line.replaceAll('\\|', '').split('|').length;
  const tables = text.split('\n\n').filter((block) => block.startsWith('|'));
  expect(tables).toHaveLength(3);
  for (const table of tables) expect(new Set(table.split('\n').map(cells)).size).toBe(1);
});

test('as a page it shows what texts hold and runs nothing of it', () => {
  const page = noteHtml(NOTE);
  expect(page).not.toContain('<script');
  expect(page).toContain('<h1>Crews &lt;script&gt;');
  expect(page).toContain('<li>name contains &lt;b&gt;|&lt;/b&gt;</li>');
});

test('layers made again are compared in counts, columns and shapes', () => {
  const now = (more: Partial<NoteLayer['digest']>) => layerDifferences([LAYER], [{ ...LAYER.digest, ...more }]);
  expect(now({})).toEqual([]);
  expect(now({ rows: 920 })).toEqual(['920 features instead of 921']);
  expect(now({ columns: { girth: 'aa', height: 'dd' } })).toEqual(['the column species is missing', 'the column height is new']);
  expect(now({ columns: { girth: 'xx', species: 'bb' }, shapes: null })).toEqual(['values of girth differ', 'shapes differ']);
  const two = [LAYER, { ...LAYER, name: 'Paths' }];
  expect(layerDifferences(two, [LAYER.digest])).toEqual(['Paths is missing']);
  expect(layerDifferences(two, [LAYER.digest, { ...LAYER.digest, rows: 3 }])).toEqual(['Paths: 3 features instead of 921']);
});

test('what has changed since is told only where what it holds differs', () => {
  const [source] = NOTE.sources;
  const newer = {
    sources: [{ ...source, sha256: 'e'.repeat(64) }],
    areas: [],
    sieves: [{ ...NOTE.sieves[0], text: 'lit = FALSE' }],
    codeLists: [{ name: 'Species', entries: [['0101', 'Oak']] as [string, string][] }],
  };
  expect(noteDifferences(NOTE, changed(newer))).toEqual([]);
  expect(noteDifferences(NOTE, changed({ ...newer, layers: [other] }))).toEqual([
    'values of girth differ',
    'the source Trees has changed since',
    'the area Harbour has changed since',
    'the sieve Dark has changed since',
    'the code list Species has changed since',
  ]);
  expect(noteDifferences(NOTE, changed({ layers: [other] }))).toEqual(['values of girth differ']);
});
