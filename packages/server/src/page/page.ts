import { createRequire } from 'node:module';
import PDFDocument from 'pdfkit';
import { layOutPage, pageSize, ReadError } from '@clean-sieve/core';
import type { PageRequest } from '../api/contract.ts';

const require = createRequire(import.meta.url);
/** Parts of the typeface by script; the first that has a character writes it. */
const SUBSETS = ['latin', 'latin-ext', 'greek', 'cyrillic', 'cyrillic-ext', 'vietnamese'];

/** Pixels of a map on a page: an A3 sheet at 300 a inch has 17 million. */
const MOST_PIXELS = 30_000_000;

/** @throws ReadError for what is no PNG, or has more pixels than a page is made with */
function pictureOf(base64: string): Buffer {
  const bytes = Buffer.from(base64, 'base64');
  // Signature, then the header with width and height (ISO/IEC 15948, 5.2 and 11.2.2).
  const isPng = bytes.length > 24 && bytes.readUInt32BE(0) === 0x89504e47 && bytes.toString('latin1', 12, 16) === 'IHDR';
  if (!isPng) throw new ReadError('The picture of the map is not a PNG');
  const [width, height] = [bytes.readUInt32BE(16), bytes.readUInt32BE(20)];
  if (width * height > MOST_PIXELS)
    throw new ReadError(`The picture of the map has ${width} by ${height} pixels, more than 30 million`, 'Choose a smaller paper');
  return bytes;
}

/** A page with the map, its title, legend, scale bar, north arrow, system, sentence and date, as PDF. */
export async function pdfPage(page: PageRequest): Promise<Uint8Array> {
  const picture = pictureOf(page.picture);
  const document = new PDFDocument({
    size: pageSize(page),
    margin: 0,
    info: { Title: page.title, Subject: page.sentence },
  });
  const chunks: Buffer[] = [];
  document.on('data', (chunk: Buffer) => chunks.push(chunk));
  const ended = new Promise((resolve) => document.on('end', resolve));
  const writer = new Writer(document);
  const along = ([[x, y], ...others]: readonly (readonly [number, number])[]) => {
    document.moveTo(x, y);
    for (const corner of others) document.lineTo(...corner);
    return document;
  };
  layOutPage(page, {
    measure: (text, size, bold) => writer.width(text, size, bold),
    line: (text, x, y, style) => writer.line(text, x, y, style),
    map: (x, y, width, height, frame) => {
      document.image(picture, x, y, { width, height });
      document.rect(x, y, width, height).lineWidth(0.8).stroke(frame);
    },
    mark: (path, x, y, scale, colour) => document.save().translate(x, y).scale(scale).path(path).fill(colour).restore(),
    fill: (corners, colour) => along(corners).closePath().fill(colour),
    stroke: (corners, width, colour) => along(corners).lineWidth(width).stroke(colour),
  });
  document.end();
  await ended;
  return new Uint8Array(Buffer.concat(chunks));
}

/** Writes text in whatever script, each character in the part of the typeface that has it. */
class Writer {
  #document: PDFKit.PDFDocument;
  #ready = new Set<string>();

  constructor(document: PDFKit.PDFDocument) {
    this.#document = document;
  }

  #font(subset: string, bold: boolean): string {
    const name = `${subset}-${bold ? 700 : 400}`;
    if (!this.#ready.has(name)) {
      this.#document.registerFont(name, require.resolve(`@fontsource/source-sans-3/files/source-sans-3-${name}-normal.woff`));
      this.#ready.add(name);
    }
    return name;
  }

  /** Characters in runs of one font. */
  #runs(text: string, bold: boolean): { text: string; font: string }[] {
    const runs: { text: string; font: string }[] = [];
    for (const written of text) {
      const known = SUBSETS.find((one) => this.#has(this.#font(one, bold), written));
      // What the typeface has no sign for is marked rather than left out.
      const [subset, character] = known === undefined ? [SUBSETS[0], '?'] : [known, written];
      const font = this.#font(subset, bold);
      const last = runs[runs.length - 1];
      if (last?.font === font) last.text += character;
      else runs.push({ text: character, font });
    }
    return runs;
  }

  #has(font: string, character: string): boolean {
    // The declarations leave the opened font out.
    const opened = this.#document.font(font) as unknown as { _font: { font: { hasGlyphForCodePoint(code: number): boolean } } };
    return opened._font.font.hasGlyphForCodePoint(character.codePointAt(0)!);
  }

  width(text: string, size: number, bold: boolean): number {
    return this.#runs(text, bold).reduce((sum, run) => sum + this.#document.font(run.font).fontSize(size).widthOfString(run.text), 0);
  }

  line(text: string, x: number, y: number, { size, bold, colour }: { size: number; bold: boolean; colour: string }): void {
    let at = x;
    for (const run of this.#runs(text, bold)) {
      this.#document.font(run.font).fontSize(size).fillColor(colour).text(run.text, at, y, { lineBreak: false });
      at += this.#document.widthOfString(run.text);
    }
  }
}
