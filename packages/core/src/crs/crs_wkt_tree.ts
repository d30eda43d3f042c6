/** A node of well-known text: `WORD["name", 1, 2, OTHER[…]]`. */
export interface WktNode {
  /** In capitals. */
  word: string;
  /** The first quoted text, empty without one. */
  name: string;
  texts: string[];
  values: number[];
  /** Words that stand without quotes and brackets, as the direction of an axis does; in capitals. */
  flags: string[];
  nodes: WktNode[];
}

/** Reads the tree of well-known text (OGC 01-009, ISO 19162), with square or round brackets; null when it is none. */
export function parseWkt(wkt: string): WktNode | null {
  const tokens = wkt.match(/"(?:[^"]|"")*"|[A-Za-z_]\w*|[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|[[\](),]/g) ?? [];
  let at = 0;
  const opens = (token: string | undefined) => token === '[' || token === '(';
  const node = (depth: number): WktNode | null => {
    const made: WktNode = { word: tokens[at].toUpperCase(), name: '', texts: [], values: [], flags: [], nodes: [] };
    at += 2;
    while (at < tokens.length && tokens[at] !== ']' && tokens[at] !== ')') {
      const token = tokens[at];
      if (token.startsWith('"')) made.texts.push(token.slice(1, -1).replaceAll('""', '"'));
      else if (/^[-+.\d]/.test(token)) made.values.push(Number(token));
      else if (/^\w/.test(token) && opens(tokens[at + 1])) {
        const child = depth < 40 ? node(depth + 1) : null;
        if (!child) return null;
        made.nodes.push(child);
        continue;
      } else if (token !== ',') made.flags.push(token.toUpperCase());
      at++;
    }
    if (at >= tokens.length) return null;
    at++;
    made.name = made.texts[0] ?? '';
    return made;
  };
  return /^[A-Za-z_]/.test(tokens[0] ?? '') && opens(tokens[1]) ? node(0) : null;
}

export const childOf = (node: WktNode, ...words: string[]): WktNode | undefined => node.nodes.find(({ word }) => words.includes(word));
