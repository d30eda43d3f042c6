import type { ColumnType } from '../features/column.ts';
import type { Box } from '../features/geometry.ts';

/** What a service says that it can be asked, as far as filters are about it. */
export interface Declared {
  /** The columns that conditions may be about there, with the types of their values. */
  columns: ReadonlyMap<string, ColumnType>;
  /** Those of them that hold whole numbers; others may be known less closely there than is told. */
  wholes: ReadonlySet<string>;
  /** How filters there call the geometry; null where they cannot speak of it. */
  geometry: string | null;
  /** What of CQL2 its filters take; null where it takes none. */
  filter: FilterSupport | null;
  /** Whether a column's value can be asked for by a parameter of its name. */
  values: boolean;
  /** The column that the parameter `datetime` is about, where that is certain. */
  time: string | null;
  /** The features are kept in a projected system, in which the edges of a box in longitude and latitude are not straight. */
  projected: boolean;
  /** Boxes in degrees in which the sources and sieves lie that conditions name, by `SOURCE name`; those of others are not known. */
  places?: ReadonlyMap<string, Box>;
}

export interface FilterSupport {
  language: 'cql2-text' | 'cql2-json' | 'sql';
  /** BETWEEN, IN and LIKE. */
  advanced: boolean;
  /** S_INTERSECTS with a box or a point. */
  boxes: boolean;
  /** Texts and numbers are compared there just as here: by code points, and as the same double. */
  compares?: true;
}
