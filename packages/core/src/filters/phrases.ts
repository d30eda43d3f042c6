import type { ColumnSchema } from '../features/column.ts';
import type { Place, Several } from './areas.ts';

/** What a sentence needs to know about the source. */
export interface Wording {
  columns: readonly ColumnSchema[];
  /** The as-of date as a day since 1970-01-01. */
  asOf: number;
  /** Name that a reader knows a column by; the column's own name unless given. */
  label?: (column: string) => string;
  /** The features are points, which are in an area or not; others reach into it. */
  points?: boolean;
  /** What a code of a column means; undefined where nothing says. */
  meaning?: (column: string, value: string | number) => string | undefined;
}

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** A day as people write it: 3 May 2019. */
export function dayInWords(iso: string): string {
  const [year, month, day] = iso.split('-');
  if (!month) return year;
  return day ? `${Number(day)} ${MONTHS[Number(month) - 1]} ${year}` : `${MONTHS[Number(month) - 1]} ${year}`;
}

/** A number as sentences have it: thousands apart from 10,000 on, at most twelve decimals. */
export function numberInWords(value: number): string {
  return value.toLocaleString('en-GB', { maximumFractionDigits: 12, useGrouping: Math.abs(value) >= 10_000 });
}

/** Endings of column names that tell the unit of the values, as in girth_cm (common practice), and how the unit is written. */
const UNITS: Record<string, string> = {
  ...{ mm: 'mm', cm: 'cm', m: 'm', km: 'km', ft: 'ft', mi: 'mi', ha: 'ha', m2: 'm²', km2: 'km²', m3: 'm³' },
  ...{
    kg: 'kg',
    t: 't',
    l: 'l',
    c: '°C',
    pct: '%',
    percent: '%',
    kmh: 'km/h',
    kw: 'kW',
    kwh: 'kWh',
    min: 'min',
    h: 'h',
  },
};

/** The unit that a column's name ends with, or an empty text. */
export function unitInName(name: string): string {
  const ending = /[^_]_([a-z0-9]+)$/i.exec(name)?.[1].toLowerCase();
  return ending !== undefined && Object.hasOwn(UNITS, ending) ? UNITS[ending] : '';
}

/** A column name as a reader sees it: words apart, the unit left to the values. */
export function columnInWords(name: string): string {
  const bare = unitInName(name) === '' ? name : name.replace(/_[^_]*$/, '');
  const words = bare.replace(/_+/g, ' ').trim();
  return words === '' ? name : words[0].toUpperCase() + words.slice(1);
}

/** Column name with its unit, for headings. */
export function headingInWords(name: string): string {
  return `${columnInWords(name)} ${unitInName(name)}`.trim();
}

function severalInWords({ op, args }: Several): string {
  const places = args.map(shapeInWords);
  if (places.length < 2) return places.join('');
  return `${op === 'ANY_OF' ? 'any of ' : 'each of '}${places.slice(0, -1).join(', ')} and ${places[places.length - 1]}`;
}

/** A shape or a named area as a phrase. */
export function shapeInWords(geometry: Place): string {
  if ('op' in geometry) {
    if (geometry.op === 'AREA') return `the area ${geometry.args[0]}`;
    if (geometry.op === 'SOURCE') return `any of ${geometry.args[0]}`;
    if (geometry.op === 'SIEVE') return `any of the sieve ${geometry.args[0]}`;
    if (geometry.op !== 'BUFFER') return severalInWords(geometry);
    const [middle, distance, unit = 'm'] = geometry.args;
    return `${numberInWords(distance)} ${unit} round ${shapeInWords(middle)}`;
  }
  switch (geometry.type) {
    case 'Point':
      return coordinateInWords(geometry.coordinates[0], geometry.coordinates[1]);
    case 'MultiPoint':
      return `${geometry.coordinates.length} points`;
    case 'LineString':
      return 'the drawn line';
    case 'MultiLineString':
      return `${geometry.coordinates.length} drawn lines`;
    case 'Polygon':
      return 'the drawn area';
    case 'MultiPolygon':
      return geometry.coordinates.length === 1 ? 'the drawn area' : `the drawn area of ${geometry.coordinates.length} parts`;
    case 'GeometryCollection':
      return `${geometry.geometries.length} drawn shapes`;
  }
}

/** A position in degrees, as in 46.5000° N 12.3000° W. */
export function coordinateInWords(lon: number, lat: number): string {
  return `${Math.abs(lat).toFixed(4)}° ${lat < 0 ? 'S' : 'N'} ${Math.abs(lon).toFixed(4)}° ${lon < 0 ? 'W' : 'E'}`;
}

/** A text in quotation marks, cut at 60 characters. */
export const quoted = (text: string) => `“${text.length > 60 ? `${text.slice(0, 57)}…` : text}”`;
