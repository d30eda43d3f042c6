import type { Geometry } from 'geojson';
import { isBox, isGeometry, type Expr } from '../filters/ast.ts';
import { exchanged } from '../filters/exchange.ts';
import { shapeOfBox } from '../space/box.ts';
import type { Crs } from './crs.ts';

/** A geometry that says which system it is written in, as the member `crs` of the first GeoJSON (2008) did. */
interface Located {
  crs?: { type: 'name'; properties: { name: string } };
}

/** The expression with every geometry saying that it is in this system: its coordinates stay as they were written. */
export function inSystem(expr: Expr, crs: Crs): Expr {
  const said: Located = { crs: { type: 'name', properties: { name: crs.name } } };
  return exchanged(expr, (node) => {
    if (isBox(node)) return { ...shapeOfBox(node), ...said };
    return isGeometry(node) && systemSaid(node) === null ? { ...node, ...said } : null;
  });
}

/** The name of the system that a geometry says it is in; null when it says nothing. */
export function systemSaid(geometry: Geometry & Located): string | null {
  return geometry.crs?.properties.name ?? null;
}
