import { refuseTooLarge } from '../limits.ts';
import { ReadError } from '../read_error.ts';

const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const OPEN_OBJECT = 0x7b;
const CLOSE_OBJECT = 0x7d;
const OPEN_ARRAY = 0x5b;
const CLOSE_ARRAY = 0x5d;
const COLON = 0x3a;
const COMMA = 0x2c;
const NEWLINE = 0x0a;
const RECORD_SEPARATOR = 0x1e;

/** 1 for the bytes that structure JSON below the level of a feature. */
const MATTERS = new Uint8Array(256);
for (const byte of [QUOTE, OPEN_OBJECT, CLOSE_OBJECT, OPEN_ARRAY, CLOSE_ARRAY, NEWLINE]) MATTERS[byte] = 1;

/** A piece of the file: a member of a top-level `features` array, or a top-level object without that array's members. */
export interface Piece {
  kind: 'feature' | 'top';
  text: string;
  /** Line, from 1, on which it begins. */
  line: number;
  /** For a top-level object: whether it had a `features` array. */
  collection: boolean;
}

/**
 * Cuts JSON bytes into features without building the whole tree, so that memory holds one feature at a time. Takes a
 * FeatureCollection, a single Feature or geometry, and sequences of them: newline-delimited or RFC 8142.
 * Structure inside a piece is left to JSON.parse.
 */
export class FeatureScanner {
  #emit: (piece: Piece) => void;
  #decoder = new TextDecoder('utf-8', { fatal: true });
  /** Room for bytes, of which the buffer is the filled part. */
  #store = new Uint8Array(0);
  #buffer = new Uint8Array(0);
  #at = 0;
  #depth = 0;
  #inString = false;
  #line = 1;
  #startLine = 1;
  #topLine = 1;
  #topParts: Uint8Array[] = [];
  #topBytes = 0;
  /** Where the bytes that still have to go to the top-level object begin in the buffer. */
  #topFrom = 0;
  #featureFrom = -1;
  #stringFrom = 0;
  #lastString = '';
  #key = '';
  #inFeatures = false;
  #collection = false;
  #pieces = 0;
  /** Members of the `features` array and the commas between them so far. */
  #members = 0;
  #commas = 0;
  #anyByte = false;

  constructor(emit: (piece: Piece) => void) {
    this.#emit = emit;
  }

  get features(): number {
    return this.#pieces;
  }

  push(chunk: Uint8Array): void {
    const keep = this.#featureFrom >= 0 ? this.#featureFrom : this.#inString && this.#depth === 1 ? this.#stringFrom : this.#at;
    if (this.#depth > 0 && !this.#inFeatures) this.#takeTop(keep);
    const rest = this.#buffer.length - keep;
    const size = rest + chunk.length;
    const inFeature = this.#featureFrom >= 0 || this.#depth > 0;
    if (inFeature) refuseTooLarge(size + this.#topBytes, this.#pieces + 1, this.#featureFrom >= 0 ? this.#startLine : this.#topLine);
    if (size > this.#store.length) {
      // Twice what is needed, so that a long feature is not copied with every chunk.
      const store = new Uint8Array(2 * size);
      store.set(this.#buffer.subarray(keep));
      this.#store = store;
    } else if (keep > 0) this.#store.copyWithin(0, keep, this.#buffer.length);
    this.#store.set(chunk, rest);
    const joined = this.#store.subarray(0, size);
    if (this.#featureFrom >= 0) this.#featureFrom = 0;
    this.#stringFrom -= keep;
    this.#at -= keep;
    this.#topFrom = 0;
    this.#buffer = joined;
    this.#scan();
  }

  finish(): void {
    if (!this.#anyByte) throw new ReadError('The file is empty', 'A GeoJSON file holds a FeatureCollection, a Feature or a geometry');
    if (this.#depth > 0) {
      const where =
        this.#featureFrom >= 0
          ? `in the middle of feature ${this.#pieces + 1}, which begins on line ${this.#startLine}`
          : 'before its last bracket is closed';
      throw new ReadError(`The file ends ${where}`, 'It seems to be cut off; fetch or export it again');
    }
  }

  #takeTop(to: number): void {
    if (to > this.#topFrom) {
      this.#topParts.push(this.#buffer.slice(this.#topFrom, to));
      this.#topBytes += to - this.#topFrom;
    }
    this.#topFrom = to;
  }

  #decode(bytes: Uint8Array, line: number): string {
    try {
      return this.#decoder.decode(bytes);
    } catch {
      throw new ReadError(`The text from line ${line} on is not UTF-8`, 'RFC 7946 asks for UTF-8; convert the file');
    }
  }

  #scan(): void {
    const buffer = this.#buffer;
    const end = buffer.length;
    let i = this.#at;
    while (i < end) {
      if (this.#inString) {
        let c = 0;
        while (i < end && (c = buffer[i]) !== QUOTE && c !== BACKSLASH) {
          if (c === NEWLINE) this.#line++;
          i++;
        }
        if (i >= end) break;
        if (c === BACKSLASH) {
          if (i + 1 >= end) break;
          i += 2;
          continue;
        }
        this.#inString = false;
        if (this.#depth === 1) this.#lastString = this.#decode(buffer.subarray(this.#stringFrom + 1, i), this.#line);
        i++;
        continue;
      }
      // Inside a feature only brackets, quotes and line ends matter; most bytes are digits of coordinates.
      if (this.#inFeatures && this.#depth > 2) {
        while (i < end && MATTERS[buffer[i]] === 0) i++;
        if (i >= end) break;
      }
      const c = buffer[i];
      if (c === NEWLINE) this.#line++;
      else if (c === QUOTE) {
        if (this.#depth === 0) throw this.#stray(c);
        this.#stringFrom = i;
        this.#inString = true;
      } else if (c === OPEN_OBJECT || c === OPEN_ARRAY) this.#open(c, i);
      else if (c === CLOSE_OBJECT || c === CLOSE_ARRAY) this.#close(c, i);
      else if (c === COLON) {
        if (this.#depth === 1) this.#key = this.#lastString;
      } else if (c > 0x20 && c !== COMMA) {
        if (this.#depth === 0 && !this.#isMark(i)) throw this.#stray(c);
        if (this.#inFeatures && this.#depth === 2) {
          throw new ReadError(`Member ${this.#pieces + 1} of “features”, on line ${this.#line}, is not an object`);
        }
      } else if (c === COMMA && this.#depth === 0) throw this.#stray(c);
      else if (c === COMMA && this.#inFeatures && this.#depth === 2) this.#commas++;
      i++;
    }
    this.#at = i;
  }

  /** A byte order mark or record separator between top-level values. */
  #isMark(i: number): boolean {
    const c = this.#buffer[i];
    return c === RECORD_SEPARATOR || (!this.#anyByte && (c === 0xef || c === 0xbb || c === 0xbf));
  }

  #stray(c: number): ReadError {
    this.#anyByte = true;
    const shown = c > 0x20 && c < 0x7f ? `“${String.fromCharCode(c)}”` : `byte ${c}`;
    return new ReadError(
      `Line ${this.#line} begins with ${shown} where a JSON object should begin`,
      'A GeoJSON file holds a FeatureCollection, a Feature or a geometry',
    );
  }

  #open(c: number, i: number): void {
    if (this.#depth === 0) {
      if (c === OPEN_ARRAY) throw this.#stray(c);
      this.#anyByte = true;
      this.#topFrom = i;
      this.#topLine = this.#line;
      this.#key = '';
    } else if (this.#depth === 1 && c === OPEN_ARRAY && this.#key === 'features') {
      this.#takeTop(i + 1);
      this.#inFeatures = true;
      this.#collection = true;
      this.#commas = 0;
      this.#members = 0;
    } else if (this.#inFeatures && this.#depth === 2) {
      if (c === OPEN_ARRAY) throw new ReadError(`Member ${this.#pieces + 1} of “features”, on line ${this.#line}, is not an object`);
      this.#checkCommas(this.#members);
      this.#members++;
      this.#featureFrom = i;
      this.#startLine = this.#line;
    }
    this.#depth++;
  }

  #checkCommas(expected: number): void {
    if (this.#commas === expected) return;
    const what = this.#commas < expected ? 'A comma is missing' : 'There is a comma too many';
    throw new ReadError(`${what} before line ${this.#line}, around feature ${this.#pieces + 1}`);
  }

  #close(c: number, i: number): void {
    if (this.#depth === 0) throw this.#stray(c);
    this.#depth--;
    if (this.#inFeatures && this.#depth === 2) {
      const text = this.#decode(this.#buffer.subarray(this.#featureFrom, i + 1), this.#startLine);
      this.#featureFrom = -1;
      this.#pieces++;
      this.#emit({ kind: 'feature', text, line: this.#startLine, collection: true });
    } else if (this.#inFeatures && this.#depth === 1) {
      this.#checkCommas(Math.max(0, this.#members - 1));
      this.#inFeatures = false;
      this.#topFrom = i;
    } else if (this.#depth === 0) {
      this.#takeTop(i + 1);
      const text = this.#decode(joinBytes(this.#topParts), this.#topLine);
      this.#topParts = [];
      this.#topBytes = 0;
      if (!this.#collection) this.#pieces++;
      this.#emit({ kind: 'top', text, line: this.#topLine, collection: this.#collection });
      this.#collection = false;
    }
  }
}

function joinBytes(parts: Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
