/** What stands on a page beside the map itself. */
export interface PageContent {
  paper: 'a4' | 'a3';
  landscape: boolean;
  title: string;
  sentence: string;
  /** `path`: an SVG path about a unit in radius. */
  legend: readonly { name: string; count: string; colour: string; path: string }[];
  scale: string;
  bar: { points: number; label: string };
  system: string;
  date: string;
}

export interface TextStyle {
  /** In points. */
  size: number;
  bold?: boolean;
  colour: string;
  width: number;
  /** As many lines as there is room for; the rest ends in an ellipsis. */
  lines: number;
}

/** What a page is drawn on, in points from the top left. */
export interface Sheet {
  /** Width of a text in one line. */
  measure: (text: string, size: number, bold: boolean) => number;
  /** Writes one line; `y` is its upper edge. */
  line: (text: string, x: number, y: number, style: { size: number; bold: boolean; colour: string }) => void;
  /** The picture of the map, with a frame of a colour. */
  map: (x: number, y: number, width: number, height: number, frame: string) => void;
  /** A mark of the legend about a place. */
  mark: (path: string, x: number, y: number, scale: number, colour: string) => void;
  fill: (corners: readonly (readonly [number, number])[], colour: string) => void;
  stroke: (corners: readonly (readonly [number, number])[], width: number, colour: string) => void;
}

const MARGIN = 36;
/** Room for the title above the map, beside it for the legend (landscape) or below (portrait). */
const HEAD = 70;
const SIDE = 190;
const FOOT = 170;
const LEADING = 1.28;
const [INK, SOFT, SPRUCE, LINE] = ['#22302b', '#5d6b64', '#2c5b4b', '#d9d1c0'];
/** Short and long side of the papers (ISO 216) in points. */
const PAPERS = { a4: [595.28, 841.89], a3: [841.89, 1190.55] } as const;
/** Points in a unit of the legend's marks. */
export const PAGE_MARK = 5.5;

/** Width and height of a page in points. */
export function pageSize({ paper, landscape }: Pick<PageContent, 'paper' | 'landscape'>): [width: number, height: number] {
  const [short, long] = PAPERS[paper];
  return landscape ? [long, short] : [short, long];
}

/** Where the map lies on a page, in points. */
export function mapOnPage(page: Pick<PageContent, 'paper' | 'landscape'>): { x: number; y: number; width: number; height: number } {
  const [width, height] = pageSize(page).map((side) => side - 2 * MARGIN);
  const place = { x: MARGIN, y: MARGIN + HEAD };
  return page.landscape ? { ...place, width: width - SIDE, height: height - HEAD } : { ...place, width, height: height - HEAD - FOOT };
}

/** Draws a page with its map, title, sentence, legend, scale bar, north arrow, system and date. */
export function layOutPage(page: PageContent, sheet: Sheet): void {
  const { landscape } = page;
  const [width, height] = pageSize(page).map((side) => side - 2 * MARGIN);
  const map = mapOnPage(page);
  const text = (words: string, x: number, y: number, style: TextStyle) => writeText(sheet, words, x, y, style);

  text(page.title, MARGIN, MARGIN, { size: 22, bold: true, colour: SPRUCE, width, lines: 1 });
  text(page.sentence, MARGIN, MARGIN + 30, { size: 10.5, colour: INK, width, lines: 2 });
  sheet.map(map.x, map.y, map.width, map.height, LINE);

  const side = landscape
    ? { x: map.x + map.width + 18, y: map.y, width: SIDE - 18 }
    : { x: MARGIN, y: map.y + map.height + 14, width: width * 0.58 };
  let y = side.y;
  const most = landscape ? map.y + map.height - 150 : MARGIN + height - 24;
  let left = page.legend.length;
  for (const { name, count, colour, path } of page.legend) {
    if (y > most) break;
    if (path !== '') sheet.mark(path, side.x + 7, y + 7, PAGE_MARK, colour);
    y = text(name, side.x + 20, y, { size: 10.5, bold: true, colour: INK, width: side.width - 20, lines: 3 });
    y = text(count, side.x + 20, y, { size: 9.5, colour: SOFT, width: side.width - 20, lines: 1 }) + 7;
    left--;
  }
  if (left > 0) text(`and ${left} more`, side.x + 20, y, { size: 9.5, colour: SOFT, width: side.width, lines: 1 });

  const foot = landscape
    ? { x: side.x, y: map.y + map.height - 118, width: side.width }
    : { x: MARGIN + width * 0.64, y: side.y, width: width * 0.36 };
  const [tip, under] = [foot.x + 8, foot.y];
  sheet.fill(
    [
      [tip, under],
      [tip + 6, under + 20],
      [tip, under + 15],
      [tip - 6, under + 20],
    ],
    INK,
  );
  text('N', foot.x + 4.6, foot.y + 24, { size: 9.5, bold: true, colour: INK, width: 20, lines: 1 });
  const end = foot.x + Math.min(page.bar.points, foot.width);
  sheet.stroke(
    [
      [foot.x, foot.y + 50],
      [foot.x, foot.y + 56],
      [end, foot.y + 56],
      [end, foot.y + 50],
    ],
    1.2,
    INK,
  );
  let at = text(`${page.bar.label} · ${page.scale}`, foot.x, foot.y + 61, { size: 9.5, colour: INK, width: foot.width, lines: 1 });
  at = text(page.system, foot.x, at + 2, { size: 8.5, colour: SOFT, width: foot.width, lines: 2 });
  text(page.date, foot.x, at + 2, { size: 8.5, colour: SOFT, width: foot.width, lines: 1 });
}

/** Breaks a text at its spaces and writes it. @returns where the next line would begin */
function writeText(sheet: Sheet, text: string, x: number, y: number, { size, bold = false, colour, width, lines }: TextStyle): number {
  const wide = (row: string) => sheet.measure(row, size, bold) > width;
  const rows: string[] = [];
  for (const word of text.split(/\s+/)) {
    const longer = rows.length === 0 ? word : `${rows[rows.length - 1]} ${word}`;
    if (rows.length === 0 || wide(longer)) rows.push(word);
    else rows[rows.length - 1] = longer;
  }
  if (rows.length > lines) {
    rows.length = lines;
    rows[lines - 1] += ' …';
  }
  for (const [i, whole] of rows.entries()) {
    let row = whole;
    while (row.length > 2 && wide(row)) row = `${row.replace(/\s?…$/, '').slice(0, -1)}…`;
    sheet.line(row, x, y + i * size * LEADING, { size, bold, colour });
  }
  return y + rows.length * size * LEADING;
}
