const counts = new Intl.NumberFormat('en-GB');

/** A count with thousands apart: 24,000. */
export function counted(value: number): string {
  return counts.format(value);
}

/** A measured value, short enough to read: at most one decimal above ten, two below. */
export function measured(value: number): string {
  const size = Math.abs(value);
  return value.toLocaleString('en-GB', { maximumFractionDigits: size >= 1000 ? 0 : size >= 10 ? 1 : 2 });
}

/** A whole number of things with its noun. */
export function plural(value: number, one: string, many = `${one}s`): string {
  return `${counted(value)} ${value === 1 ? one : many}`;
}
