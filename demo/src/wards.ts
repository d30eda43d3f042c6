import { Delaunay } from 'd3-delaunay';
import type { Feature, Polygon } from 'geojson';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import GeoJSONWriter from 'jsts/org/locationtech/jts/io/GeoJSONWriter.js';
import OverlayOp from 'jsts/org/locationtech/jts/operation/overlay/OverlayOp.js';
import { type Coast, lonLat } from './island.ts';
import type { Random } from './random.ts';

const NAMES = [
  ...['Northmole', 'Harrow Point', 'Saltmarsh', 'Old Quay', 'Kestrel Down', 'Millbrook', 'Larkfield'],
  ...['Eastwick', 'Gorse Hill', 'Tern Bay', 'Lantern Hill', 'Weir End', 'Fernside', 'Ashby Combe'],
];

/** Fourteen wards that share the island between them. */
export function wards(random: Random, coast: Coast): Feature[] {
  const sites: [number, number][] = [];
  while (sites.length < NAMES.length) {
    const [x, y] = [random.between(-8500, 8500), random.between(-5000, 5000)];
    if (coast.isLand(x, y, 900) && sites.every(([a, b]) => Math.hypot(a - x, b - y) > 2300)) sites.push([x, y]);
  }
  const cells = Delaunay.from(sites).voronoi([-12_000, -8000, 12_000, 8000]);
  const reader = new GeoJSONReader();
  const writer = new GeoJSONWriter();
  const land = reader.read({ type: 'Polygon', coordinates: [coast.ring(1440)] });
  return NAMES.map((name, i) => {
    const cell: Polygon = { type: 'Polygon', coordinates: [cells.cellPolygon(i).map(([x, y]) => lonLat(x, y))] };
    const geometry = writer.write(OverlayOp.intersection(reader.read(cell), land));
    return {
      type: 'Feature',
      geometry,
      properties: { ward: `W${String(i + 1).padStart(2, '0')}`, name, residents: random.whole(380, 6200) },
    };
  });
}
