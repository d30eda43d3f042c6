import type { ReadOptions, ReadResult } from '../format.ts';
import { EwktShapes } from '../geometry/ewkt.ts';
import type { Input } from '../input.ts';
import { refuseEndlessRecord } from '../limits.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

/**
 * Reads shapes in well-known text, one a line, each with or without its system before it ("SRID=25832;POINT(…)"); empty lines
 * are passed over. Of a line that is no shape a feature without one is kept, with a remark.
 * @throws ReadError for a file in which no line is a shape, and for shapes of several systems
 */
export async function readWkt(input: Input, options: ReadOptions): Promise<ReadResult> {
  const taking = new Taking(options);
  const shapes = new EwktShapes(taking);
  const decoder = new TextDecoder();
  let [rest, line, size, read] = ['', 0, 0, 0];
  const take = (text: string): void => {
    line++;
    if (text.trim() === '' || taking.full) return;
    const where = `Line ${line}`;
    const shape = shapes.shapeOf(text, where);
    if (shape || /\bEMPTY\s*$/i.test(text)) read++;
    taking.feature(shape, null, where);
  };
  for await (const chunk of input.stream()) {
    const lines = (rest + decoder.decode(chunk, { stream: true })).split(/\r\n|\n|\r(?!$)/);
    rest = lines.pop()!;
    refuseEndlessRecord(rest.length, line + 1);
    for (const text of lines) take(text);
    size += chunk.length;
    options.progress?.(taking.builder.rows, size);
    if (taking.full) break;
  }
  take(rest + decoder.decode());
  if (read === 0) throw new ReadError(`${input.name} holds no shape in well-known text`, 'Each line is a shape, as in POINT(12.08 46.59)');
  const { system } = shapes;
  return taking.result(system === null ? { kind: 'unknown' } : system === 4326 ? { kind: 'crs84' } : { kind: 'epsg', code: system });
}
