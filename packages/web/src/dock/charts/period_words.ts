import { dayInWords } from '@clean-sieve/core';

/** A period by its first and last day: a whole year or month by its name, otherwise from … to. */
export function periodInWords(from: string, to: string): string {
  const [a, b] = [from.split('-').map(Number), to.split('-').map(Number)];
  const lastOfMonth = new Date(Date.UTC(b[0], b[1], 0)).getUTCDate();
  const whole = a[2] === 1 && b[2] === lastOfMonth;
  if (from === to) return dayInWords(from);
  if (whole && a[1] === 1 && b[1] === 12) return a[0] === b[0] ? `${a[0]}` : `${a[0]} to ${b[0]}`;
  if (whole) {
    const [first, last] = [dayInWords(from.slice(0, 7)), dayInWords(to.slice(0, 7))];
    return first === last ? first : `${first} to ${last}`;
  }
  return `${dayInWords(from)} to ${dayInWords(to)}`;
}
