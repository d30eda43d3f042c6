import type { FileMetaData } from 'hyparquet';
import { ThriftError, walkStruct } from './thrift_bounds.ts';

/** Bytes at the end of the file: the length of the metadata, and the magic. */
const TAIL = 8;

/** Throws a ThriftError where the metadata at the end of a Parquet file name more than there is. */
export function walkFooter(bytes: Uint8Array): void {
  if (bytes.length < TAIL) return;
  const length = new DataView(bytes.buffer, bytes.byteOffset, bytes.length).getUint32(bytes.length - TAIL, true);
  // One that is longer than the file is refused by whoever reads it.
  if (length <= bytes.length - TAIL) walkStruct(bytes, bytes.length - TAIL - length, bytes.length - TAIL);
}

/**
 * The fields of a page's head (parquet.thrift): its bytes, unpacked and packed, and of each kind of page those that have to be there,
 * the number of its values first. The library takes one that is missing for a place before the first byte, and never comes to an end.
 */
const [UNPACKED, PACKED] = ['2', '3'];
const DATA = ['5.1', '5.2'];
const DATA_V2 = ['8.1', '8.2', '8.3', '8.4', '8.5', '8.6'];
const LEVELS_V2 = ['8.5', '8.6'];
const TEXTS = ['7.1', '7.2'];

/** The same of the pages of all columns, by their heads, each of which says where the next one begins. */
export function walkPages(bytes: Uint8Array, { row_groups: groups }: FileMetaData): void {
  for (const { meta_data: column } of groups.flatMap(({ columns }) => columns)) {
    if (!column) continue;
    const starts = [column.data_page_offset, column.dictionary_page_offset].flatMap((offset) => (offset ? [Number(offset)] : []));
    const start = Math.min(...starts);
    let values = 0;
    for (let at = start; at < start + Number(column.total_compressed_size) - 1;) {
      const { end, numbers } = walkStruct(bytes, at, bytes.length);
      const number = (field: string) => numbers.get(field) ?? -1;
      const fields = [DATA, DATA_V2, TEXTS].find((kind) => kind.some((field) => numbers.has(field))) ?? [];
      if ([UNPACKED, PACKED, ...fields].some((field) => number(field) < 0)) throw new ThriftError('says too little of itself');
      const size = number(PACKED);
      const levels = fields === DATA_V2 ? LEVELS_V2.reduce((sum, field) => sum + number(field), 0) : 0;
      if (fields === DATA || fields === DATA_V2) values += number(fields[0]);
      const isMore = end + size > bytes.length || levels > size || values > Number(column.num_values);
      // Of an entry in a dictionary there is a byte at least.
      if (isMore || (fields === TEXTS && number(TEXTS[0]) > number(UNPACKED))) throw new ThriftError('names more than there is');
      at = end + size;
    }
  }
}
