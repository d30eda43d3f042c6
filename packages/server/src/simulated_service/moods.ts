/** A way in which services behave, each at an address of its own below the simulated one. */
export interface Mood {
  /** The part of the address. */
  name: string;
  meaning: string;
  /** It takes filters in CQL2, and tells what they can be about. */
  filters?: 'cql2-text' | 'cql2-json';
  /** Milliseconds before each answer. */
  slow?: number;
  /** Each page of features is refused so many times first, with 429. */
  busy?: number;
  /** Each page breaks off in the middle so many times first; without an end, always. */
  broken?: number;
  /** The connection ends without an answer so many times first for each page. */
  lost?: number;
  /** It says that there are more features than it gives, or does not say. */
  count?: 'wrong' | 'none';
  /** The third page is followed by the second. */
  circle?: true;
  /** The last feature of a page comes on the next one too. */
  twice?: true;
  /** It wants this header. */
  key?: { header: string; value: string };
  /** It answers with a web page. */
  html?: true;
  /** It redirects to another host, or links there. */
  elsewhere?: 'redirect' | 'link';
}

export const MOODS: readonly Mood[] = [
  { name: 'reports', meaning: 'takes filters as text', filters: 'cql2-text' },
  { name: 'json', meaning: 'takes filters as JSON', filters: 'cql2-json' },
  { name: 'plain', meaning: 'takes no filters, only a box and a time' },
  { name: 'slow', meaning: 'takes its time', slow: 1500, filters: 'cql2-text' },
  { name: 'busy', meaning: 'wants to be left alone for a second before each page', busy: 1 },
  { name: 'broken', meaning: 'gives pages that break off', broken: Infinity },
  { name: 'shaky', meaning: 'loses the connection now and then', lost: 1, broken: 1 },
  { name: 'miscounted', meaning: 'says that it has more than it has', count: 'wrong' },
  { name: 'uncounted', meaning: 'does not say how many there are', count: 'none', filters: 'cql2-text' },
  { name: 'circle', meaning: 'leads back to pages that were there', circle: true },
  { name: 'twice', meaning: 'gives features twice', twice: true },
  {
    name: 'locked',
    meaning: 'wants the header X-Report-Key: gannet-7431',
    key: { header: 'x-report-key', value: 'gannet-7431' },
    filters: 'cql2-text',
  },
  { name: 'page', meaning: 'is no service but a web page', html: true },
  { name: 'moved', meaning: 'is somewhere else now', elsewhere: 'redirect' },
  { name: 'scattered', meaning: 'has its pages on another host', elsewhere: 'link' },
];
