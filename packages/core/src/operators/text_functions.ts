import { checkWhole, functionOf } from './functions.ts';
import { plainText } from './plain_value.ts';
import type { Operator } from './operator.ts';

/** A text of more UTF-16 units than this is not put together: it would fill the memory. */
const MOST = 1_000_000;
const short = (text: string): string | null => (text.length > MOST ? null : text);

/** Functions that make texts, or tell something of them. Characters are Unicode code points, the first is number 1. */
export const TEXT_FUNCTIONS: readonly Operator[] = [
  functionOf({
    name: 'CONCAT',
    takes: ['any'],
    more: 'any',
    result: 'text',
    usage: "CONCAT(column, ' ', 12)",
    meaning: 'all of it written one after another; numbers and dates as the language writes them',
    prose: (args) => `${args.join(' then ')}, joined`,
    apply: (args) => short(args.map(plainText).join('')),
    fails: 'is a text of more than a million characters',
  }),
  functionOf({
    name: 'UPPER',
    takes: ['text'],
    result: 'text',
    usage: 'UPPER(column)',
    meaning: 'the text in capitals',
    prose: ([text]) => `${text} in capitals`,
    apply: ([text]) => (text as string).toUpperCase(),
  }),
  functionOf({
    name: 'LOWER',
    takes: ['text'],
    result: 'text',
    usage: 'LOWER(column)',
    meaning: 'the text in small letters',
    prose: ([text]) => `${text} in small letters`,
    apply: ([text]) => (text as string).toLowerCase(),
  }),
  functionOf({
    name: 'TRIM',
    takes: ['text'],
    result: 'text',
    usage: 'TRIM(column)',
    meaning: 'the text without spaces at its ends',
    prose: ([text]) => `${text} without spaces at its ends`,
    apply: ([text]) => (text as string).trim(),
  }),
  functionOf({
    name: 'SUBSTRING',
    takes: ['text', 'number'],
    optional: ['number'],
    result: 'text',
    usage: 'SUBSTRING(column, 1, 2)',
    meaning: 'the text from a character on, so many characters of it or all',
    prose: ([text, from, many]) => `${text} from character ${from}${many === undefined ? '' : `, ${many} of them`}`,
    check: (call) => {
      checkWhole(call, 1, 1, MOST);
      checkWhole(call, 2, 0, MOST);
    },
    apply: ([text, from, many = Infinity]) => {
      const start = (from as number) - 1;
      if (!Number.isInteger(start) || start < 0 || Number.isNaN(many) || (many as number) < 0) return null;
      return [...(text as string)].slice(start, start + (many as number)).join('');
    },
    fails: 'begins before the first character',
  }),
  functionOf({
    name: 'PART_OF',
    takes: ['text', 'text', 'number'],
    result: 'text',
    usage: "PART_OF(column, ',', 1)",
    meaning: 'of the text, parted wherever the second text stands in it, the part of that number; negative numbers count from the end',
    prose: ([text, by, number]) => `part ${number} of ${text}, parted at ${by}`,
    check: (call) => checkWhole(call, 2, -MOST, MOST),
    apply: ([text, by, number]) => {
      const parts = (text as string).split(by as string);
      const at = (number as number) > 0 ? (number as number) - 1 : parts.length + (number as number);
      return parts[at] ?? null;
    },
    fails: 'has no such part',
  }),
  functionOf({
    name: 'REPLACE',
    takes: ['text', 'text', 'text'],
    result: 'text',
    usage: "REPLACE(column, '-', '')",
    meaning: 'the text with the third text wherever the second stands in it',
    prose: ([text, find, by]) => `${text} with ${by} for ${find}`,
    apply: ([text, find, by]) => (find === '' ? text : short((text as string).replaceAll(find as string, () => by as string))),
    fails: 'is a text of more than a million characters',
  }),
  functionOf({
    name: 'CHARACTERS',
    takes: ['text'],
    result: 'number',
    usage: 'CHARACTERS(column)',
    meaning: 'how many characters the text has',
    prose: ([text]) => `how many characters ${text} has`,
    apply: ([text]) => [...(text as string)].length,
  }),
  functionOf({
    name: 'POSITION_OF',
    takes: ['text', 'text'],
    result: 'number',
    usage: "POSITION_OF(column, '/')",
    meaning: 'the number of the character at which the second text first stands in the first; 0 where it does not',
    prose: ([text, part]) => `where ${part} stands in ${text}`,
    apply: ([text, part]) => {
      const at = (text as string).indexOf(part as string);
      return at < 0 ? 0 : [...(text as string).slice(0, at)].length + 1;
    },
  }),
];
