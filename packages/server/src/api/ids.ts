import { z } from 'zod';

/** A number in an address. */
export const id = (text: string): number => z.coerce.number().int().positive().parse(text);
/** The identity of an upload in an address. */
export const uploadId = (text: string): string => z.uuid().parse(text);
