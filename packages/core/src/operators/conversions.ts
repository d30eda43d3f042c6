import { dateSpelled, numberSpelled, type DateOrder, type Decimal } from '../derive/spellings.ts';
import { DAY_MILLIS, dayAfter } from '../time/calendar.ts';
import { dayPeriod } from '../time/period.ts';
import { checkWord, functionOf } from './functions.ts';
import { plainText } from './plain_value.ts';
import type { Operator } from './operator.ts';

/** From one type to another. */
export const CONVERSIONS: readonly Operator[] = [
  functionOf({
    name: 'TO_TEXT',
    takes: ['any'],
    result: 'text',
    usage: 'TO_TEXT(12.5)',
    meaning: 'a number, date or yes/no as the language writes it',
    prose: ([value]) => `${value} as text`,
    apply: ([value]) => plainText(value),
  }),
  functionOf({
    name: 'TO_NUMBER',
    takes: ['text'],
    optional: ['text'],
    result: 'number',
    usage: 'TO_NUMBER(column)',
    meaning: "the number that the text spells, thousands marks allowed; with 'comma' as the second argument the comma is the decimal mark",
    prose: ([text]) => `${text} as a number`,
    check: (call) => checkWord(call, 1, ['point', 'comma']),
    apply: ([text, decimal = 'point']) => numberSpelled(text as string, decimal as Decimal),
    fails: 'is no number',
  }),
  functionOf({
    name: 'TO_DATE',
    takes: ['text'],
    optional: ['text'],
    result: 'date',
    usage: 'TO_DATE(column)',
    meaning:
      "the date that the text spells, to the day, month or year; of 03/04/2020 the day comes first unless the second argument is 'mdy'",
    prose: ([text]) => `${text} as a date`,
    check: (call) => checkWord(call, 1, ['dmy', 'mdy']),
    apply: ([text, order = 'dmy']) => {
      const date = dateSpelled(text as string, order as DateOrder);
      if (!date) return null;
      if (date.precision === 'day') return dayPeriod(date.day);
      const end = dayAfter(date.day, date.precision) * DAY_MILLIS;
      return { start: date.day * DAY_MILLIS, end, grain: DAY_MILLIS, vague: true };
    },
    fails: 'is no date',
  }),
];
