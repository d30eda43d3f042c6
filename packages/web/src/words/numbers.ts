import { numberOf, type Amount } from '@clean-sieve/core';

const counts = new Intl.NumberFormat('en-GB');

/** A count with thousands apart: 24,000; ≈ 24,000 where it is estimated, ? where it is unknown. */
export function counted(value: Amount): string {
  if (value === null) return '?';
  return typeof value === 'number' ? counts.format(value) : `≈ ${counts.format(value.about)}`;
}

/** A measured value, short enough to read: at most one decimal above ten, two below. */
export function measured(value: number): string {
  const size = Math.abs(value);
  return value.toLocaleString('en-GB', { maximumFractionDigits: size >= 1000 ? 0 : size >= 10 ? 1 : 2 });
}

/** A whole number of things with its noun. */
export function plural(value: Amount, one: string, many = `${one}s`): string {
  return `${counted(value)} ${value === 1 ? one : many}`;
}

/** A part of a whole in per cent, small ones not rounded away: 12 %, 0.3 %, below 0.1 %. */
export function share(some: Amount, all: Amount): string {
  const [part, whole] = [numberOf(some), numberOf(all)];
  if (part === null || whole === null) return '';
  if (whole === 0 || part === 0) return '0 %';
  const percent = (100 * part) / whole;
  if (percent < 0.1) return 'below 0.1 %';
  const digits = percent < 10 || (percent > 99 && percent < 100) ? 1 : 0;
  return `${percent.toLocaleString('en-GB', { maximumFractionDigits: digits, roundingMode: 'trunc' })} %`;
}
