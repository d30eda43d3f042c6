/** A name as SQL has it, whatever it holds (ISO 9075-2, delimited identifier). */
export const quotedName = (name: string): string => `"${name.replaceAll('"', '""')}"`;
