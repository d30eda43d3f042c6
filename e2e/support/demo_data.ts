import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import type { Feature, FeatureCollection, Point } from 'geojson';
import { TOP } from './own_server.ts';

export const treesFile = gunzipSync(readFileSync(join(TOP, 'demo/files/trees.geojson.gz')));
export type Tree = Feature<Point, Record<string, unknown>>;
/** The trees of the demo workspace as they stand in its file. */
export const trees = (JSON.parse(treesFile.toString()) as FeatureCollection<Point, Record<string, unknown>>).features;

/** A number of features as the interface writes it. */
export const shown = (count: number) => count.toLocaleString('en-GB');
/** How many trees pass a test of their properties, as the interface writes it. */
export const countOf = (test: (properties: Tree['properties']) => boolean) => shown(trees.filter((tree) => test(tree.properties)).length);
