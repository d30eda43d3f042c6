import type { Geometry, Position } from 'geojson';
import { lonLatGeometryAt } from '../../crs/lon_lat_view.ts';
import { escaped } from '../markup.ts';
import { fileTypeOf, PIECE, valuesOf, type FileType, type WrittenLayer } from '../writing.ts';

const TYPES: Record<FileType, string> = {
  integer: 'int',
  long: 'double',
  double: 'double',
  text: 'string',
  boolean: 'bool',
  date: 'string',
  datetime: 'string',
};

/** KML 2.2 (OGC 07-147r2): a folder with a style in the layer's colour and the columns as typed extended data. */
export function* writeKml(layer: WrittenLayer): Generator<string> {
  const { table, rows } = layer;
  const fields = table.columns.map((column) => ({
    name: column.name,
    type: fileTypeOf(column, rows),
    read: valuesOf(column),
    title: layer.about.get(column.name)?.title ?? null,
  }));
  // Some readers keep one field called name, which is then that of the placemark.
  const naming = [
    table.columns.findIndex(({ name }) => /^name$/i.test(name)),
    table.columns.findIndex(({ role }) => role === 'id'),
    fields.findIndex(({ type }) => type === 'text'),
    0,
  ].find((at) => at >= 0)!;
  const nameOf = fields[naming]?.read ?? null;
  yield '<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document>\n';
  yield `<name>${escaped(layer.name)}</name>${layer.description ? `<description>${escaped(layer.description)}</description>` : ''}\n`;
  yield styleOf(layer.colour);
  yield `<Schema id="columns" name="${escaped(layer.name)}">\n`;
  for (const { name, type, title } of fields)
    yield `<SimpleField type="${TYPES[type]}" name="${escaped(name)}">${title ? `<displayName>${escaped(title)}</displayName>` : ''}</SimpleField>\n`;
  yield '</Schema>\n';
  let piece = '';
  for (const row of rows) {
    const name = nameOf?.(row) ?? null;
    piece += `<Placemark>${name === null ? '' : `<name>${escaped(String(name))}</name>`}<styleUrl>#layer</styleUrl>`;
    piece += '<ExtendedData><SchemaData schemaUrl="#columns">';
    for (const { name: field, type, read } of fields) {
      const value = read(row);
      if (value !== null)
        piece += `<SimpleData name="${escaped(field)}">${escaped(type === 'boolean' ? String(Number(value)) : String(value))}</SimpleData>`;
    }
    piece += '</SchemaData></ExtendedData>';
    const geometry = layer.shapes ? lonLatGeometryAt(table, row) : null;
    if (geometry) piece += shapeOf(geometry);
    piece += '</Placemark>\n';
    if (piece.length < PIECE) continue;
    yield piece;
    piece = '';
  }
  yield `${piece}</Document></kml>\n`;
}

/** Colours of KML run alpha, blue, green, red. */
function styleOf(colour: string): string {
  const [, red, green, blue] = /^#(..)(..)(..)$/.exec(colour) ?? ['', '2c', '5b', '4b'];
  const strong = `ff${blue}${green}${red}`;
  return `<Style id="layer"><IconStyle><color>${strong}</color><scale>0.8</scale></IconStyle><LineStyle><color>${strong}</color><width>2</width></LineStyle><PolyStyle><color>66${blue}${green}${red}</color></PolyStyle></Style>\n`;
}

function shapeOf(geometry: Geometry): string {
  const line = (positions: Position[]) => `<coordinates>${positions.map((position) => position.join(',')).join(' ')}</coordinates>`;
  switch (geometry.type) {
    case 'Point':
      return geometry.coordinates.length === 0 ? '' : `<Point>${line([geometry.coordinates])}</Point>`;
    case 'LineString':
      return `<LineString>${line(geometry.coordinates)}</LineString>`;
    case 'Polygon': {
      const rings = geometry.coordinates.map((ring, i) => {
        const side = i === 0 ? 'outerBoundaryIs' : 'innerBoundaryIs';
        return `<${side}><LinearRing>${line(ring)}</LinearRing></${side}>`;
      });
      return `<Polygon>${rings.join('')}</Polygon>`;
    }
    case 'GeometryCollection':
      return `<MultiGeometry>${geometry.geometries.map(shapeOf).join('')}</MultiGeometry>`;
    default: {
      const single = geometry.type.slice(5) as 'Point' | 'LineString' | 'Polygon';
      const members = geometry.coordinates.map((coordinates) => shapeOf({ type: single, coordinates } as Geometry));
      return `<MultiGeometry>${members.join('')}</MultiGeometry>`;
    }
  }
}
