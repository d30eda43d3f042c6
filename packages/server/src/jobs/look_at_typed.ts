import {
  checkAtTimes,
  columnNamed,
  FilterError,
  profileOf,
  readingReport,
  typedColumn,
  unitsIn,
  valueAt,
  type TypedDerivation,
} from '@clean-sieve/core';
import type { TypedLook } from '../api/contract.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';

/** Texts that cannot be converted, told one by one. */
const MOST_MISFITS = 1000;
/** Features told whose text can be converted, and whose cannot. */
const FITTING = 6;
const MISFITS = 4;
const MOST_UNITS = 12;
const MOST_VALUES = 40;

/** How the texts of a column would be read, before they are. Throws a FilterError where they cannot be. */
export async function lookAtTyped(
  orm: Store,
  { sourceId, derivation }: { sourceId: number; derivation: TypedDerivation },
  report: (share: number, progress: string) => void,
): Promise<TypedLook> {
  const table = await loadTable(entities(orm), sourceId);
  checkAtTimes(() => report(0.5, `Reading the texts of ${table.rows.toLocaleString('en-GB')} features`));
  try {
    const text = columnNamed(table, derivation.from);
    if (!text?.dictionary) throw new FilterError(`There is no text column ${derivation.from}`);
    const { present, fitting, misfits, instead, losesZeros } = readingReport(text, derivation);
    const column = typedColumn(text, derivation, 'preview');
    const samples: TypedLook['samples'] = [];
    let [read, failed] = [0, 0];
    for (let row = 0; row < table.rows && (read < FITTING || failed < MISFITS); row++) {
      const [was, value] = [valueAt(text, row), valueAt(column, row)];
      if (typeof was !== 'string' || was.trim() === '' || (value === null ? ++failed > MISFITS : ++read > FITTING)) continue;
      samples.push({ key: row, text: was, value });
    }
    const profile = fitting === 0 ? null : profileOf(table, column);
    return {
      ...{ present, fitting, instead, losesZeros, samples },
      misfits: misfits.slice(0, MOST_MISFITS),
      misfitTexts: misfits.length,
      misfitRows: misfits.reduce((sum, { count }) => sum + count, 0),
      units: derivation.as === 'number' ? unitsIn(text, derivation.decimal).slice(0, MOST_UNITS) : [],
      profile: profile && { ...profile, values: profile.values.slice(0, MOST_VALUES) },
    };
  } finally {
    checkAtTimes(null);
  }
}
