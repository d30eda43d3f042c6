import { escaped } from '@clean-sieve/core';
import type { Link } from './documents.ts';

const STYLE =
  'body{font:15px/1.5 "Source Sans 3",system-ui,sans-serif;color:#22302b;background:#fffdf7;max-width:72rem;margin:2rem auto;padding:0 1.5rem}h1{color:#2c5b4b;margin:0 0 .3rem}a{color:#2c5b4b}table{border-collapse:collapse}div.wide{overflow-x:auto}th,td{text-align:left;vertical-align:top;padding:.25rem 1rem .25rem 0;border-bottom:1px solid #d9d1c0;white-space:nowrap;max-width:24rem;overflow:hidden;text-overflow:ellipsis}th{background:#ebe5d7}code,pre{font:13px/1.5 "IBM Plex Mono",monospace}pre{white-space:pre-wrap;background:#ebe5d7;padding:.7rem 1rem;border-radius:6px}.soft{color:#5d6b64}';

export function page(title: string, body: string): string {
  return `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escaped(title)}</title><style>${STYLE}</style></head>\n<body><h1>${escaped(title)}</h1>\n${body}\n</body></html>\n`;
}

export function linkList(links: readonly Link[]): string {
  return `<ul>${links.map(({ href, title, type }) => `<li><a href="${escaped(href)}">${escaped(title)}</a> <span class="soft">${escaped(type)}</span></li>`).join('')}</ul>`;
}

export const paragraph = (text: string) => `<p>${escaped(text)}</p>`;

/** Features as rows; each number leads to the feature. */
export function featureTable(
  features: { id: number; properties: Record<string, unknown>; geometry: { type: string } | null }[],
  items: string,
): string {
  const names = Object.keys(features[0]?.properties ?? {});
  const head = ['id', ...names, 'shape'].map((name) => `<th>${escaped(name)}</th>`).join('');
  const rows = features.map(({ id, properties, geometry }) => {
    const cells = names.map((name) => `<td>${escaped(cell(properties[name]))}</td>`).join('');
    return `<tr><td><a href="${escaped(`${items}/${id}?f=html`)}">${id}</a></td>${cells}<td class="soft">${geometry?.type ?? ''}</td></tr>`;
  });
  return `<div class="wide"><table><thead><tr>${head}</tr></thead><tbody>${rows.join('')}</tbody></table></div>`;
}

const cell = (value: unknown) => (typeof value === 'string' ? value : value === null || value === undefined ? '' : JSON.stringify(value));

export function valueTable(values: Record<string, unknown>): string {
  return `<table>${Object.entries(values)
    .map(([name, value]) => `<tr><th>${escaped(name)}</th><td>${escaped(cell(value))}</td></tr>`)
    .join('')}</table>`;
}

export const code = (text: string) => `<pre>${escaped(text)}</pre>`;
