import type { Column } from '../features/column.ts';
import { DAY_MILLIS, formatDay } from '../time/calendar.ts';

/** First and last day in the date column that has the most values; null when there is none. */
export function periodCovered(columns: readonly Column[]): { column: string; from: string; to: string } | null {
  let best: { column: string; from: string; to: string; present: number } | null = null;
  for (const { name, type, chunks } of columns) {
    if (type !== 'date' && type !== 'datetime') continue;
    let [low, high, present] = [Infinity, -Infinity, 0];
    for (const chunk of chunks) {
      if (chunk.type !== 'date' && chunk.type !== 'datetime') continue;
      low = Math.min(low, chunk.min);
      high = Math.max(high, chunk.max);
      present += chunk.rows - chunk.nulls;
    }
    if (low > high || (best && best.present >= present)) continue;
    const day = (value: number) => formatDay(type === 'date' ? value : Math.floor(value / DAY_MILLIS));
    best = { column: name, from: day(low), to: day(high), present };
  }
  return best && { column: best.column, from: best.from, to: best.to };
}
