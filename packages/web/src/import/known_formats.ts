import { ARCHIVES, FORMATS, SHAPEFILE_PARTS } from '@clean-sieve/core';

/** Endings of files that can be brought in. */
export const ENDINGS = [...FORMATS.flatMap((format) => format.extensions), ...ARCHIVES, ...SHAPEFILE_PARTS];
/** The formats in words. */
export const KNOWN = FORMATS.map((format) => format.label).join(', ');
