/** Text for XML 1.0 and HTML; most control characters have no room there and become the replacement character. */
export function escaped(text: string): string {
  return text
    .replaceAll(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '\ufffd')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
