import { escaped } from '@clean-sieve/core';

type Cell = number | string | boolean | null;

/** Rows as text with tabs, which spreadsheets take apart into cells; what holds a tab, a line break or a quote is quoted. */
export function tableText(columns: readonly string[], rows: readonly (readonly Cell[])[]): string {
  const cell = (value: Cell) => {
    const text = value === null ? '' : String(value);
    return /[\t\r\n"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [columns, ...rows].map((row) => row.map(cell).join('\t')).join('\n');
}

/** The same as an HTML table; texts say that they are texts, so that codes keep their leading zeros. */
export function tableHtml(columns: readonly string[], rows: readonly (readonly Cell[])[]): string {
  const cell = (value: Cell) =>
    typeof value === 'string' ? `<td style="mso-number-format:'\\@'">${escaped(value)}</td>` : `<td>${value ?? ''}</td>`;
  const head = columns.map((name) => `<th>${escaped(name)}</th>`).join('');
  return `<table><tr>${head}</tr>${rows.map((row) => `<tr>${row.map(cell).join('')}</tr>`).join('')}</table>`;
}

export async function copyTable(columns: readonly string[], rows: readonly (readonly Cell[])[]): Promise<void> {
  const as = (type: string, text: string) => ({ [type]: new Blob([text], { type }) });
  await navigator.clipboard.write([
    new ClipboardItem({ ...as('text/plain', tableText(columns, rows)), ...as('text/html', tableHtml(columns, rows)) }),
  ]);
}
