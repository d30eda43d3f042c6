import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { checkFilter, likeMatcher, parseFilter, printFilter, type ColumnSchema } from '@clean-sieve/core';
import type { Comparison } from './compared.ts';

const COLUMNS: ColumnSchema[] = [
  { name: 'girth', type: 'number' },
  { name: 'species', type: 'text' },
  { name: 'seen', type: 'date' },
];

const TERMS = Array.from({ length: 200 }, (_, i) =>
  i % 4 === 0
    ? `girth > ${i}`
    : i % 4 === 1
      ? `species = 'kind ${i}'`
      : i % 4 === 2
        ? `seen < DATE('2020-01-01')`
        : `(girth < ${i} OR species LIKE '${i}%')`,
).join(' AND ');

interface Other {
  parseText: (text: string) => { to_text: () => string; free: () => void };
}

async function otherImplementation(): Promise<Other> {
  const require = createRequire(import.meta.url);
  const glue = (await import(require.resolve('cql2-wasm/cql2_wasm_bg.js'))) as Record<string, unknown>;
  const bytes = readFileSync(require.resolve('cql2-wasm/cql2_wasm_bg.wasm'));
  const { instance } = await WebAssembly.instantiate(bytes, { './cql2_wasm_bg.js': glue as WebAssembly.ModuleImports });
  (glue.__wbg_set_wasm as (exports: WebAssembly.Exports) => void)(instance.exports);
  (instance.exports.__wbindgen_start as () => void)();
  return glue as unknown as Other;
}

/** Text of 200 terms parsed, checked and printed; a hostile pattern on a long text and on one twice as long. */
export async function filterLanguage(): Promise<Comparison[]> {
  const other = await otherImplementation();
  const hostile = likeMatcher(`${'%a_'.repeat(500)}%b`);
  const long = 'a'.repeat(400_000);
  return [
    {
      name: '200 terms: parse, check and print',
      ours: () => {
        const parsed = parseFilter(TERMS);
        checkFilter(parsed, COLUMNS);
        return printFilter(parsed.expr).length > 0;
      },
      reference: {
        name: 'cql2-wasm, no check',
        run: () => {
          const read = other.parseText(TERMS);
          const length = read.to_text().length;
          read.free();
          return length > 0;
        },
      },
      target: 1,
      agree: (a, b) => a === b,
    },
    {
      name: 'hostile LIKE: 800,000 characters beside 400,000',
      ours: () => hostile(long + long),
      reference: { name: 'half as long', run: () => hostile(long) },
      // Linear is 2; a matcher that goes back and forth is 4 and more.
      target: 3,
      agree: (a, b) => a === b,
    },
  ];
}
