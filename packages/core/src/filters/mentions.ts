import { isCall, isDate, isInterval, isObject, type Expr } from './ast.ts';
import { activeConditions, type Group } from './tree.ts';
import { dayInWords, numberInWords, type Wording } from './phrases.ts';
import { formOfExpr } from './form.ts';

/**
 * The values of a tree's conditions that a name mentions, as the name spells them: numbers, texts and their meanings,
 * years and days. Kept with a name given by hand, they tell later when it no longer fits.
 */
export function valuesMentioned(name: string, root: Group, wording: Wording): string[] {
  const words = spelled(name);
  return [...valuesIn(root, wording)].filter((value) => words.includes(` ${value} `)).sort();
}

/** Of the values that a name mentioned, those that the conditions no longer have. */
export function staleMentions(mentioned: readonly string[], root: Group, wording: Wording): string[] {
  const values = valuesIn(root, wording);
  return mentioned.filter((value) => !values.has(value));
}

/** Letters small, everything but letters and digits (and points within numbers) a single space. */
function spelled(text: string): string {
  const plain = text.toLowerCase().replaceAll(/(\d),(?=\d{3}\b)/g, '$1');
  return ` ${plain.replaceAll(/[^\p{L}\p{N}.]+|\.(?!\d)/gu, ' ').trim()} `;
}

function valuesIn(root: Group, wording: Wording): Set<string> {
  const found = new Set<string>();
  const add = (text: string) => {
    const value = spelled(text).trim();
    // A lone letter or digit in a name is rarely a value.
    if (value.length > 1) found.add(value);
  };
  for (const { expr } of activeConditions(root)) {
    const form = formOfExpr(expr, wording.columns);
    const column = 'column' in form ? form.column : null;
    visit(expr, (value) => {
      add(typeof value === 'number' ? numberInWords(value) : value);
      const meaning = column === null ? undefined : wording.meaning?.(column, value);
      if (meaning) add(meaning);
    });
  }
  return found;
}

function visit(expr: Expr, take: (value: string | number) => void): void {
  if (typeof expr === 'number') take(Math.abs(expr));
  else if (typeof expr === 'string') time(expr, take);
  else if (Array.isArray(expr)) expr.forEach((item) => visit(item, take));
  else if (!isObject(expr)) return;
  else if (isDate(expr)) time(expr.date, take);
  else if (isInterval(expr)) expr.interval.forEach((end) => visit(end, take));
  else if (isCall(expr)) expr.args.forEach((arg) => visit(arg, take));
}

/** A date is mentioned by its year, or in words. */
function time(text: string, take: (value: string) => void): void {
  take(text.replaceAll(/^%|%$/g, ''));
  const day = /^(\d{4})-\d\d-\d\d/.exec(text);
  if (day) [day[1], dayInWords(day[0])].forEach(take);
}
