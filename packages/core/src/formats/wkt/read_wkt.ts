import type { ReadOptions, ReadResult } from '../format.ts';
import { EwktShapes } from '../geometry/ewkt.ts';
import type { Input } from '../input.ts';
import { refuseEndlessRecord } from '../limits.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

/**
 * Reads shapes in well-known text, one a line, each with or without its system before it ("SRID=25832;POINT(…)"); empty lines
 * are passed over. The column `line` says where each comes from. Of a line that is no shape a feature without one is kept, with a remark.
 * @throws ReadError for a file in which no line is a shape, and for shapes of several systems
 */
export async function readWkt(input: Input, options: ReadOptions): Promise<ReadResult> {
  const taking = new Taking(options);
  const shapes = new EwktShapes(taking);
  const decoder = new TextDecoder();
  let [line, size, read] = [0, 0, 0];
  /** What has come of the line under way, and a carriage return at the end of it, which may be half of a line's end. */
  let [rest, held] = ['', ''];
  const take = (text: string): void => {
    line++;
    if (text.trim() === '' || taking.full) return;
    const where = `Line ${line}`;
    const shape = shapes.shapeOf(text, where);
    if (shape || /\bEMPTY\s*$/i.test(text)) read++;
    taking.feature(shape, { line }, where);
  };
  // Only what is new is looked through for ends of lines: a shape can be a line of many million characters.
  const push = (text: string): void => {
    const [end, ...lines] = text.split(/\r\n|\n|\r/);
    rest += end;
    for (const next of lines) {
      take(rest);
      rest = next;
    }
    refuseEndlessRecord(rest.length, line + 1);
  };
  for await (const chunk of input.stream()) {
    const text = held + decoder.decode(chunk, { stream: true });
    held = text.endsWith('\r') ? '\r' : '';
    push(held === '' ? text : text.slice(0, -1));
    size += chunk.length;
    options.progress?.(taking.builder.rows, size);
    if (taking.full) break;
  }
  push(held + decoder.decode());
  take(rest);
  if (read === 0) throw new ReadError(`${input.name} holds no shape in well-known text`, 'Each line is a shape, as in POINT(12.08 46.59)');
  const { system } = shapes;
  return taking.result(system === null ? { kind: 'unknown' } : system === 4326 ? { kind: 'crs84' } : { kind: 'epsg', code: system });
}
