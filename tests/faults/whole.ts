import Database from 'libsql';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** What is wrong with a data folder whose server has been started again; nothing where all is whole and nothing is left over. */
export function whatIsNotWhole(data: string): string[] {
  const database = new Database(join(data, 'workspace.sqlite'), { readonly: true });
  const rows = <T>(sql: string) => database.prepare(sql).all() as T[];
  const number = (sql: string) => Object.values(rows<object>(sql)[0])[0] as number;
  const wrong: string[] = [];
  try {
    const [integrity] = rows<{ integrity_check: string }>('PRAGMA integrity_check');
    if (integrity.integrity_check !== 'ok') wrong.push(`integrity: ${integrity.integrity_check}`);
    if (rows('PRAGMA foreign_key_check').length > 0) wrong.push('rows that belong to nothing');
    const unfinished = rows<{ name: string; role: string }>("select name, role from source where role in ('making', 'candidate')");
    for (const { name, role } of unfinished) wrong.push(`${name} is left over as ${role}`);
    const sources = rows<{ id: number; name: string; row_count: number; shapes: string; fetched_from: string | null }>(
      'select id, name, row_count, shapes, fetched_from from source',
    );
    for (const { id, name, row_count: all, shapes, fetched_from: from } of sources) {
      // Of what is live nothing is stored.
      const count = from !== null && 'live' in (JSON.parse(from) as object) ? 0 : all;
      const drawn = number(`select coalesce(sum(row_count), 0) from geometry where source_id = ${id} and variant = '${shapes}'`);
      if (drawn !== count) wrong.push(`${name} has shapes for ${drawn} of ${count} features`);
      for (const column of rows<{ id: number; name: string }>(`select id, name from source_column where source_id = ${id}`)) {
        const held = number(`select coalesce(sum(row_count), 0) from row_group where column_id = ${column.id}`);
        if (held !== count) wrong.push(`${name}.${column.name} has ${held} of ${count} values`);
      }
    }
    const extracts = rows<{ id: string; files: string }>('select id, files from extract');
    for (const { id, files } of extracts)
      for (const { name, sha256 } of JSON.parse(files) as { name: string; sha256: string }[]) {
        const path = join(data, 'extracts', id, name);
        const found = existsSync(path) ? createHash('sha256').update(readFileSync(path)).digest('hex') : null;
        if (found !== sha256) wrong.push(`${name} of an extract is ${found === null ? 'missing' : 'not what it was'}`);
      }
    const known = new Set(extracts.map(({ id }) => id));
    for (const name of namesIn(join(data, 'extracts'))) if (!known.has(name)) wrong.push(`the folder extracts/${name} is left over`);
    // What a live source answered is held by the program that asked, and by no other.
    for (const name of namesIn(join(data, 'held'))) wrong.push(`the answer held/${name} is left over`);
    for (const name of namesIn(join(data, 'uploads'))) wrong.push(`the upload ${name} is left over`);
  } finally {
    database.close();
  }
  return wrong;
}

const namesIn = (folder: string): string[] => (existsSync(folder) ? readdirSync(folder) : []);
