import { wholeNumber } from '../../features/exact_json.ts';
import { ReadError } from '../read_error.ts';

interface Field {
  name: string;
  type: string;
  from: number;
  length: number;
  decimals: number;
}

type Value = string | number | bigint | boolean | null;

/** An attribute table (dBASE III) as its header tells. */
export interface DbfTable {
  fields: string[];
  records: number;
  encoding: string;
  /** Values of a record in field order: numbers, whole ones that a double would round as BigInt, booleans, texts, dates as ISO text, null. Null for a deleted record. */
  record(index: number): Value[] | null;
}

/** Language driver bytes of dBASE that the text decoders at hand know; the rest is read as windows-1252. */
const CODE_PAGES: Record<number, string> = {
  0x03: 'windows-1252',
  0x57: 'windows-1252',
  0x7a: 'gbk',
  0x7b: 'shift_jis',
  0x78: 'big5',
  0x79: 'euc-kr',
  0x7c: 'windows-874',
  0xc8: 'windows-1250',
  0xc9: 'windows-1251',
  0xca: 'windows-1254',
  0xcb: 'windows-1253',
  0x65: 'ibm866',
};

/**
 * Reads a dBASE III table as shapefiles use it.
 * @param declared content of the .cpg file, if there is one
 */
export function openDbf(bytes: Uint8Array, declared: string | null): DbfTable {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 33) throw new ReadError('The .dbf file is cut off: it has no header');
  const records = view.getUint32(4, true);
  const [headerLength, recordLength] = [view.getUint16(8, true), view.getUint16(10, true)];
  const raw: (Field & { nameBytes: Uint8Array })[] = [];
  let from = 1;
  for (let at = 32; at + 32 <= headerLength && bytes[at] !== 0x0d; at += 32) {
    const end = bytes.subarray(at, at + 11).indexOf(0);
    const nameBytes = bytes.subarray(at, at + (end < 0 ? 11 : end));
    const length = bytes[at + 16];
    raw.push({
      name: '',
      nameBytes,
      type: String.fromCharCode(bytes[at + 11]),
      from,
      length,
      decimals: bytes[at + 17],
    });
    from += length;
  }
  if (recordLength < from || headerLength > bytes.length)
    throw new ReadError('The .dbf file is damaged: its header does not fit its records');
  if (headerLength + records * recordLength > bytes.length + 1)
    throw new ReadError(
      `The .dbf file ends in the middle of record ${Math.floor((bytes.length - headerLength) / recordLength) + 1} of ${records}`,
      'It may not have been copied whole',
    );
  const encoding = encodingOf(declared, bytes[29], bytes.subarray(headerLength));
  const decoder = new TextDecoder(encoding);
  const fields = raw.map((field): Field => ({ ...field, name: decoder.decode(field.nameBytes).trim() }));
  return {
    fields: fields.map((field) => field.name),
    records,
    encoding,
    record(index) {
      const start = headerLength + index * recordLength;
      if (bytes[start] === 0x2a) return null;
      return fields.map((field) => valueOf(field, bytes.subarray(start + field.from, start + field.from + field.length), decoder));
    },
  };
}

function encodingOf(declared: string | null, languageDriver: number, records: Uint8Array): string {
  const named = declared
    ?.trim()
    .replace(/^(cp|ansi|windows)[ _-]?(125\d)$/i, 'windows-$2')
    .replace(/^(\d{4})$/, 'windows-$1')
    .replace(/^8859[-_]?(\d+)$/, 'iso-8859-$1')
    .replace(/^ISO[ _-]?8859[ _-]?(\d+)$/i, 'iso-8859-$1')
    .replace(/^65001$/, 'utf-8');
  if (named) {
    try {
      return new TextDecoder(named).encoding;
    } catch {
      // A name that nobody knows says nothing; the bytes are asked.
    }
  }
  const page = CODE_PAGES[languageDriver];
  if (page) return page;
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(records);
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}

function valueOf(field: Field, bytes: Uint8Array, decoder: InstanceType<typeof TextDecoder>): Value {
  const text = decoder.decode(bytes).replaceAll('\0', '').replace(/ +$/, '');
  const plain = text.trim();
  switch (field.type) {
    case 'N':
    case 'F': {
      if (plain === '' || /^\*+$/.test(plain)) return null;
      if (field.decimals === 0 && /^-?\d{16,}$/.test(plain)) return wholeNumber(plain);
      const number = Number(plain.replace(',', '.'));
      // What is no number is kept as it stands; the column becomes text.
      return Number.isFinite(number) ? number : plain;
    }
    case 'L':
      return /^[TtYy]$/.test(plain) ? true : /^[FfNn]$/.test(plain) ? false : null;
    case 'D':
      if (plain === '' || /^0+$/.test(plain)) return null;
      return /^\d{8}$/.test(plain) ? `${plain.slice(0, 4)}-${plain.slice(4, 6)}-${plain.slice(6)}` : plain;
    case 'I':
      return new DataView(bytes.buffer, bytes.byteOffset, 4).getInt32(0, true);
    case 'O':
      return new DataView(bytes.buffer, bytes.byteOffset, 8).getFloat64(0, true);
    default:
      // A blank text and a missing one are the same in this format.
      return text === '' ? null : text;
  }
}
