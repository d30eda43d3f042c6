/** The name most like the one given, if any is alike: fewest edits, at most a third of its length; case is free. */
export function nearestName(name: string, names: readonly string[]): string | null {
  let best: string | null = null;
  let fewest = Math.floor(name.length / 3) + 1;
  for (const candidate of names) {
    const edits = editDistance(name.toLowerCase(), candidate.toLowerCase());
    if (edits < fewest) [fewest, best] = [edits, candidate];
  }
  return best;
}

/** Levenshtein distance. */
function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      next[j] = Math.min(row[j] + 1, next[j - 1] + 1, row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1));
    }
    row = next;
  }
  return row[b.length];
}
