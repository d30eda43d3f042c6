import { createRequire } from 'node:module';
import PDFDocument from 'pdfkit';
import { ReadError } from '@clean-sieve/core';
import type { PageRequest } from '../api/contract.ts';

const require = createRequire(import.meta.url);
const MARGIN = 36;
/** Room for the title above the map, beside it for the legend (landscape) or below (portrait), in points. */
const HEAD = 70;
const SIDE = 190;
const FOOT = 170;
const [INK, SOFT, SPRUCE, LINE] = ['#22302b', '#5d6b64', '#2c5b4b', '#d9d1c0'];

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
  const { landscape } = page;
  const document = new PDFDocument({
    size: page.paper.toUpperCase(),
    layout: landscape ? 'landscape' : 'portrait',
    margin: MARGIN,
    info: { Title: page.title, Subject: page.sentence },
  });
  const chunks: Buffer[] = [];
  document.on('data', (chunk: Buffer) => chunks.push(chunk));
  const ended = new Promise((resolve) => document.on('end', resolve));
  const writer = new Writer(document);
  const [width, height] = [document.page.width - 2 * MARGIN, document.page.height - 2 * MARGIN];
  const map = landscape
    ? { x: MARGIN, y: MARGIN + HEAD, width: width - SIDE, height: height - HEAD }
    : { x: MARGIN, y: MARGIN + HEAD, width, height: height - HEAD - FOOT };

  writer.text(page.title, MARGIN, MARGIN, { size: 22, bold: true, colour: SPRUCE, width, lines: 1 });
  writer.text(page.sentence, MARGIN, MARGIN + 30, { size: 10.5, colour: INK, width, lines: 2 });
  document.image(pictureOf(page.picture), map.x, map.y, { width: map.width, height: map.height });
  document.rect(map.x, map.y, map.width, map.height).lineWidth(0.8).stroke(LINE);

  const side = landscape
    ? { x: map.x + map.width + 18, y: map.y, width: SIDE - 18 }
    : { x: MARGIN, y: map.y + map.height + 14, width: width * 0.58 };
  let y = side.y;
  const most = landscape ? map.y + map.height - 150 : MARGIN + height - 24;
  let left = page.legend.length;
  for (const { name, count, colour, path } of page.legend) {
    if (y > most) break;
    document
      .save()
      .translate(side.x + 7, y + 7)
      .scale(5.5)
      .path(path)
      .fill(colour)
      .restore();
    y = writer.text(name, side.x + 20, y, { size: 10.5, bold: true, colour: INK, width: side.width - 20, lines: 3 });
    y = writer.text(count, side.x + 20, y, { size: 9.5, colour: SOFT, width: side.width - 20, lines: 1 }) + 7;
    left--;
  }
  if (left > 0) writer.text(`and ${left} more`, side.x + 20, y, { size: 9.5, colour: SOFT, width: side.width, lines: 1 });

  const foot = landscape
    ? { x: side.x, y: map.y + map.height - 118, width: side.width }
    : { x: MARGIN + width * 0.64, y: side.y, width: width * 0.36 };
  north(document, foot.x + 8, foot.y);
  writer.text('N', foot.x + 4.6, foot.y + 24, { size: 9.5, bold: true, colour: INK, width: 20, lines: 1 });
  const bar = Math.min(page.bar.points, foot.width);
  document
    .moveTo(foot.x, foot.y + 50)
    .lineTo(foot.x, foot.y + 56)
    .lineTo(foot.x + bar, foot.y + 56)
    .lineTo(foot.x + bar, foot.y + 50)
    .lineWidth(1.2)
    .stroke(INK);
  let at = writer.text(`${page.bar.label} · ${page.scale}`, foot.x, foot.y + 61, { size: 9.5, colour: INK, width: foot.width, lines: 1 });
  at = writer.text(page.system, foot.x, at + 2, { size: 8.5, colour: SOFT, width: foot.width, lines: 2 });
  writer.text(page.date, foot.x, at + 2, { size: 8.5, colour: SOFT, width: foot.width, lines: 1 });
  document.end();
  await ended;
  return new Uint8Array(Buffer.concat(chunks));
}

function north(document: PDFKit.PDFDocument, x: number, y: number): void {
  document
    .moveTo(x, y)
    .lineTo(x + 6, y + 20)
    .lineTo(x, y + 15)
    .lineTo(x - 6, y + 20)
    .closePath()
    .fill(INK);
}

interface TextStyle {
  size: number;
  bold?: boolean;
  colour: string;
  width: number;
  /** As many lines as there is room for; the rest ends in an ellipsis. */
  lines: number;
}

/** Writes text in whatever script, word by word, each in the part of the typeface that has its characters. */
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

  #width(text: string, size: number, bold: boolean): number {
    return this.#runs(text, bold).reduce((sum, run) => sum + this.#document.font(run.font).fontSize(size).widthOfString(run.text), 0);
  }

  /** @returns where the next line would begin */
  text(text: string, x: number, y: number, { size, bold = false, colour, width, lines }: TextStyle): number {
    const rows: string[] = [];
    for (const word of text.split(/\s+/)) {
      const longer = rows.length === 0 ? word : `${rows[rows.length - 1]} ${word}`;
      if (rows.length === 0) rows.push(word);
      else if (this.#width(longer, size, bold) <= width) rows[rows.length - 1] = longer;
      else rows.push(word);
    }
    if (rows.length > lines) {
      rows.length = lines;
      rows[lines - 1] += ' …';
    }
    for (const [i, whole] of rows.entries()) {
      let row = whole;
      while (row.length > 2 && this.#width(row, size, bold) > width) row = `${row.replace(/\s?…$/, '').slice(0, -1)}…`;
      let at = x;
      for (const run of this.#runs(row, bold)) {
        this.#document
          .font(run.font)
          .fontSize(size)
          .fillColor(colour)
          .text(run.text, at, y + i * size * 1.28, { lineBreak: false });
        at += this.#document.widthOfString(run.text);
      }
    }
    return y + rows.length * size * 1.28;
  }
}
