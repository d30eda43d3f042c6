/** What was asked for of a source of which a sample is held, because it is named as a place: all that is near to the source that asks. */
export interface NearTold {
  /** How it is named, as `SOURCE name` or `SIEVE name`. */
  called: string;
  /** Name of the source. */
  source: string;
  features: number;
  /** How far round the features of the one that asks, in metres, and its name. */
  metres: number;
  by: string;
  /** ISO 8601. */
  askedAt: string;
  remarks: string[];
}

/** The same as sentences. */
export function nearInWords({ source, features, metres, by, remarks }: NearTold): string {
  const [many, far] = [features, metres].map((number) => number.toLocaleString('en-GB'));
  const where = `the extent of ${by} and ${far} m round it`;
  return [`Of ${source} a sample is held; what counts here is all of it in ${where}, features: ${many}.`, ...remarks].join(' ');
}
