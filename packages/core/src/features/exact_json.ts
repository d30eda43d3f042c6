/** As long as a whole number of 64 bits can be; longer ones are written by programs that mean a double. */
const MOST = 2n ** 64n;

/** The whole number that digits spell: a BigInt where a double would round it or be spelled with other digits. */
export function wholeNumber(digits: string): number | bigint {
  const value = Number(digits);
  if (Number.isSafeInteger(value) || String(value) === digits) return value;
  const whole = BigInt(digits);
  return whole >= MOST || whole <= -MOST ? value : whole;
}

/** Perhaps a number that a double rounds: digits enough, in a text or not. */
const LONG = /(?:^|[^\d.])\d{16,}(?![\d.eE])/;
const TOKEN = /"[^"\\]*(?:\\.[^"\\]*)*"|-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/gs;

/** Parses JSON as JSON.parse does, but with BigInt for whole numbers of up to 64 bits that a double would round. */
export function parseJson(text: string): unknown {
  // What is no JSON is told of the text as it stands.
  const plain: unknown = JSON.parse(text);
  if (!LONG.test(text)) return plain;
  let mark = 'whole number ';
  while (text.includes(mark)) mark += '#';
  const marked = text.replaceAll(TOKEN, (token) =>
    /^-?\d{16,}$/.test(token) && typeof wholeNumber(token) === 'bigint' ? `"${mark}${token}"` : token,
  );
  return JSON.parse(marked, (_, value: unknown) =>
    typeof value === 'string' && value.startsWith(mark) ? BigInt(value.slice(mark.length)) : value,
  );
}

/** JSON of a value as `parseJson` gives it, with all digits. */
export function printJson(value: unknown): string {
  const text = JSON.stringify(value, (_, inner: unknown) => (typeof inner === 'bigint' ? Number(inner) : inner));
  if (!holdsBigInt(value)) return text;
  if (Array.isArray(value)) return `[${value.map(printJson).join(',')}]`;
  if (typeof value === 'bigint') return String(value);
  return `{${Object.entries(value as object)
    .map(([name, inner]) => `${JSON.stringify(name)}:${printJson(inner)}`)
    .join(',')}}`;
}

function holdsBigInt(value: unknown): boolean {
  if (typeof value === 'bigint') return true;
  return typeof value === 'object' && value !== null && Object.values(value).some(holdsBigInt);
}
