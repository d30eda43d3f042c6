import { ReadError } from '@clean-sieve/core';
import type { z } from 'zod';
import { problemDocument } from './documents.ts';

/** A header that a service wants to see: a token or a key. */
export interface ServiceKey {
  header: string;
  value: string;
}

export interface ClientOptions {
  key: ServiceKey | null;
  /** Ends every question. */
  signal: AbortSignal;
  /** Told when the service makes one wait, in words. */
  waits?: (words: string) => void;
  /** Milliseconds without a byte after which a question is given up. */
  patience?: number;
  /** Milliseconds of the first pause before a question is put again; each further one is twice as long. */
  pause?: number;
}

/** How often a question is put before it is given up. */
const TRIES = 6;
/** A service that asks for a longer pause than this, in milliseconds, is not waited for. */
const LONGEST_PAUSE = 120_000;
const PATIENCE = 60_000;
const PAUSE = 1000;
/** Redirections that are followed. */
const REDIRECTIONS = 5;
/** A document that is not a page of features is smaller than this, in bytes. */
const MOST_BYTES = 64_000_000;
const AGAIN = [408, 425, 429, 500, 502, 503, 504];

/**
 * Asks one service, at the host that the person named and nowhere else. What may pass is asked again, after the pause that the
 * service wants or a growing one. Throws a ReadError for everything that the service does not do as it should.
 */
export class ServiceClient {
  readonly #host: URL;
  readonly #options: ClientOptions;
  #hasAnswered = false;

  constructor(address: URL, options: ClientOptions) {
    this.#host = address;
    this.#options = options;
  }

  /** A document of a given shape, and the address that it came from after redirections. */
  async document<T>(address: URL, shape: z.ZodType<T>, what: string): Promise<{ document: T; at: URL }> {
    return this.asked(address, 'application/json', async ({ response, at, pieces }) => {
      this.#expectJson(response, what);
      let text = '';
      const decoder = new TextDecoder();
      for await (const piece of pieces) {
        text += decoder.decode(piece, { stream: true });
        if (text.length > MOST_BYTES) throw new ReadError(`${sentenceOf(what)} at ${shown(at)} is larger than 64 MB`);
      }
      let value: unknown;
      try {
        value = JSON.parse(text + decoder.decode());
      } catch (error) {
        throw new ReadError(`${sentenceOf(what)} at ${shown(at)} is not valid JSON: ${(error as Error).message}`);
      }
      const parsed = shape.safeParse(value);
      if (parsed.success) return { document: parsed.data, at };
      const [issue] = parsed.error.issues;
      const place = issue.path.length > 0 ? ` at “${issue.path.join('.')}”` : '';
      throw new ReadError(
        `${sentenceOf(what)} at ${shown(at)} is not what OGC API – Features has${place}: ${issue.message}`,
        'Give the address of a landing page, or of a collection',
      );
    });
  }

  /**
   * Puts a question and hands the answer on as it comes; what fails on the way is asked for again from the beginning.
   * @param take reads the answer; it is called anew for every try
   */
  async asked<T>(address: URL, accept: string, take: (answer: Answer) => Promise<T>): Promise<T> {
    let lost: unknown;
    for (let n = 0; n < TRIES; n++) {
      try {
        return await this.#once(address, accept, take);
      } catch (error) {
        if (this.#options.signal.aborted) throw error;
        if (!(error instanceof PassingError)) throw error;
        lost = error;
        if (n === TRIES - 1) break;
        // A connection that was kept from the last question may have been closed by the other side meanwhile.
        if (n === 0 && error.isConnection) continue;
        const wait = error.pause ?? (this.#options.pause ?? PAUSE) * 2 ** n;
        if (wait > LONGEST_PAUSE)
          throw new ReadError(`${error.message}, and asks to wait ${Math.round(wait / 1000)} seconds`, 'Try again then');
        this.#options.waits?.(`${error.message}; trying again in ${Math.max(1, Math.round(wait / 1000))} s`);
        await pause(wait, this.#options.signal);
      }
    }
    throw new ReadError(`${(lost as Error).message}, ${TRIES} times in a row`, 'Try again later');
  }

  async #once<T>(address: URL, accept: string, take: (answer: Answer) => Promise<T>): Promise<T> {
    const idle = new AbortController();
    const patience = this.#options.patience ?? PATIENCE;
    let timer = setTimeout(() => idle.abort(), patience);
    const heard = () => {
      clearTimeout(timer);
      timer = setTimeout(() => idle.abort(), patience);
    };
    const lost = (error: unknown): unknown => {
      if (error instanceof ReadError || error instanceof PassingError || this.#options.signal.aborted) return error;
      if (idle.signal.aborted) return new PassingError(`${this.name} did not answer for ${Math.round(patience / 1000)} seconds`);
      const cause = (error as Error).cause as NodeJS.ErrnoException | undefined;
      // Of what has never answered nothing was lost.
      if (cause?.code === 'ECONNREFUSED' && !this.#hasAnswered)
        return new ReadError(`Nothing answers at ${this.name}`, 'Look at the address, and whether the service runs');
      if (cause?.code === 'ENOTFOUND') return new ReadError(`There is no host ${this.#host.hostname}`, 'Look at the address again');
      return new PassingError(`The connection to ${this.name} was lost (${cause?.code ?? (error as Error).message})`, {
        isConnection: true,
      });
    };
    try {
      const signal = AbortSignal.any([this.#options.signal, idle.signal]);
      const { response, at } = await this.#followed(address, accept, signal);
      heard();
      this.#hasAnswered = true;
      if (!response.ok) throw await this.#refused(response, at);
      return await take({ response, at, pieces: piecesOf(response, heard, lost) });
    } catch (error) {
      throw lost(error);
    } finally {
      clearTimeout(timer);
      // What was not read to its end is given up.
      idle.abort();
    }
  }

  /** As the person knows it. */
  get name(): string {
    return this.#host.host;
  }

  /** Follows redirections, but to no other host: it was not asked for, and is not to see the key. */
  async #followed(address: URL, accept: string, signal: AbortSignal): Promise<{ response: Response; at: URL }> {
    let at = address;
    for (let n = 0; n <= REDIRECTIONS; n++) {
      this.expectOwn(at, n === 0 ? 'links' : 'redirects');
      const { key } = this.#options;
      const headers: Record<string, string> = { accept, ...(key ? { [key.header]: key.value } : {}) };
      const response = await fetch(at, { headers, redirect: 'manual', signal });
      const location = response.headers.get('location');
      if (response.status < 300 || response.status > 399 || location === null) return { response, at };
      await response.body?.cancel();
      at = new URL(location, at);
    }
    throw new ReadError(`${this.name} redirects more than ${REDIRECTIONS} times`, 'Look at the address again');
  }

  /** Throws a ReadError unless an address is at the host that was named; from http to https at the same is no other. */
  expectOwn(address: URL, verb: 'links' | 'redirects'): void {
    const own = this.#host;
    const safer = own.protocol === 'http:' && address.protocol === 'https:' && own.port === '' && address.port === '';
    if (address.hostname === own.hostname && (safer || (address.protocol === own.protocol && address.port === own.port))) return;
    throw new ReadError(
      `${own.origin} ${verb} to another host, ${address.origin}, which was not asked for`,
      `If that is the service, give its address: ${address.origin}`,
    );
  }

  async #refused(response: Response, at: URL): Promise<Error> {
    const { status } = response;
    const { key } = this.#options;
    const reason = await reasonIn(response);
    // A service may say the key that it does not like.
    const said = key ? reason.replaceAll(key.value, '…') : reason;
    const because = said ? `: ${said}` : '';
    if (AGAIN.includes(status)) {
      const words = status === 429 ? `${this.name} is asked too often (429)` : `${this.name} answers with an error (${status})${because}`;
      return new PassingError(words, { pause: retryAfter(response) });
    }
    if (status === 401 || status === 403)
      return new ReadError(
        `${this.name} wants a key, or another one (${status})${because}`,
        'Give the header and the key that it was given out with',
      );
    if (status === 404) return new ReadError(`There is nothing at ${shown(at)} (404)${because}`, 'Look at the address again');
    return new ReadError(`${shown(at)} answers with an error (${status})${because}`);
  }

  #expectJson(response: Response, what: string): void {
    const type = response.headers.get('content-type') ?? '';
    if (/text\/html/i.test(type))
      throw new ReadError(
        `${sentenceOf(what)} at ${this.name} comes as a web page, not as JSON`,
        'Give the address of an OGC API – Features service: its landing page, or a collection',
      );
  }
}

/** An answer on its way. */
export interface Answer {
  response: Response;
  /** Where it came from after redirections. */
  at: URL;
  pieces: AsyncGenerator<Uint8Array>;
}

/** Something that may be over when the same is asked again. */
export class PassingError extends Error {
  /** Milliseconds that the service wants to be left alone. */
  readonly pause: number | null;

  /** It was the connection rather than the service. */
  readonly isConnection: boolean;

  constructor(message: string, { pause = null, isConnection = false }: { pause?: number | null; isConnection?: boolean } = {}) {
    super(message);
    [this.pause, this.isConnection] = [pause, isConnection];
  }
}

async function* piecesOf(response: Response, heard: () => void, lost: (error: unknown) => unknown): AsyncGenerator<Uint8Array> {
  if (!response.body) return;
  const reader = response.body.getReader();
  try {
    for (;;) {
      const { done, value } = await reader.read().catch((error: unknown) => {
        throw lost(error);
      });
      if (done) return;
      heard();
      yield value;
    }
  } finally {
    await reader.cancel().catch(() => undefined);
  }
}

/** What the service says is wrong, cut to a line. */
async function reasonIn(response: Response): Promise<string> {
  const text = await response.text().catch(() => '');
  try {
    const { description, detail, title } = problemDocument.parse(JSON.parse(text));
    return (description ?? detail ?? title ?? '').slice(0, 300);
  } catch {
    return '';
  }
}

/** Milliseconds that a Retry-After asks for (RFC 9110, 10.2.3): seconds, or a moment. */
function retryAfter(response: Response): number | null {
  const value = response.headers.get('retry-after');
  if (value === null) return null;
  if (/^\d+$/.test(value.trim())) return Number(value) * 1000;
  const moment = Date.parse(value);
  return Number.isNaN(moment) ? null : Math.max(0, moment - Date.now());
}

function pause(millis: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const end = () => {
      clearTimeout(timer);
      reject(signal.reason as Error);
    };
    const timer = setTimeout(() => {
      signal.removeEventListener('abort', end);
      resolve();
    }, millis);
    signal.addEventListener('abort', end, { once: true });
  });
}

/** An address without what its query may hold. */
export function shown(address: URL): string {
  return `${address.origin}${address.pathname}`;
}

const sentenceOf = (what: string) => what[0].toUpperCase() + what.slice(1);
