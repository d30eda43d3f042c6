import { ReadError } from '@clean-sieve/core';
import pg from 'pg';
import Cursor from 'pg-cursor';
import { z } from 'zod';
import type { DatabaseAddress } from './database_address.ts';

export interface DatabaseOptions {
  password: string | null;
  /** Ends every question, also in the database. */
  signal: AbortSignal;
}

/** Milliseconds that one statement may take there, and that the connection may wait for the next one. */
const LONGEST = 600_000;
const CONNECTING = 15_000;
/** Rows that come at a time. */
const ROWS = 2000;

/** All values as the database writes them: which type they are is known from the table. */
const AS_TEXT = { getTypeParser: () => (value: unknown) => value };

/** The values of a row, in the order asked for. */
export type Row = (string | null)[];
const answer = z.array(z.array(z.string().nullable()));

/**
 * One connection to a database, in one transaction that reads and sees one state of it. Throws a ReadError for everything that the
 * database refuses.
 */
export class Database {
  readonly address: DatabaseAddress;
  readonly #client: pg.Client;
  readonly #options: DatabaseOptions;
  /** The number under which the database carries out what is asked. */
  #process: string | null = null;

  private constructor(address: DatabaseAddress, client: pg.Client, options: DatabaseOptions) {
    [this.address, this.#client, this.#options] = [address, client, options];
  }

  /** Opens it, works with it, and closes it, whatever comes of it. */
  static async with<T>(address: DatabaseAddress, options: DatabaseOptions, work: (database: Database) => Promise<T>): Promise<T> {
    const client = await connected(address, options);
    // A connection that breaks is told by the question that was under way.
    client.on('error', () => undefined);
    const database = new Database(address, client, options);
    const stop = () => void database.#cancel();
    options.signal.addEventListener('abort', stop, { once: true });
    try {
      options.signal.throwIfAborted();
      // Values are written as ISO 8601 has them, in universal time and with all digits.
      const [[process]] = await database.rows(
        `select pg_backend_pid()::text, set_config('timezone', 'UTC', false), set_config('datestyle', 'ISO', false), set_config('extra_float_digits', '1', false), set_config('statement_timeout', $1, false), set_config('idle_in_transaction_session_timeout', $1, false), set_config('bytea_output', 'hex', false)`,
        [String(LONGEST)],
      );
      database.#process = process;
      await database.#asked(() => client.query('begin transaction isolation level repeatable read read only'));
      return await work(database);
    } finally {
      options.signal.removeEventListener('abort', stop);
      await client.end().catch(() => undefined);
    }
  }

  async rows(text: string, values: unknown[] = []): Promise<Row[]> {
    const { rows } = await this.#asked(() => this.#client.query({ text, values, rowMode: 'array', types: AS_TEXT }));
    return answer.parse(rows);
  }

  /** The rows of a question, some at a time, however many there are. */
  async *stream(text: string, values: unknown[] = []): AsyncGenerator<Row[]> {
    const cursor = this.#client.query(new Cursor<unknown[]>(text, values, { rowMode: 'array', types: AS_TEXT }));
    try {
      for (;;) {
        const read = await this.#asked(() => cursor.read(ROWS));
        if (read.length === 0) return;
        yield read.map(textsOf);
      }
    } finally {
      await cursor.close().catch(() => undefined);
    }
  }

  async #asked<T>(ask: () => Promise<T>): Promise<T> {
    try {
      return await ask();
    } catch (error) {
      this.#options.signal.throwIfAborted();
      throw said(error, this.address);
    }
  }

  /** Ends what is under way there: to stop listening would leave the database at work. */
  async #cancel(): Promise<void> {
    if (this.#process === null) return;
    try {
      const other = await connected(this.address, { ...this.#options, signal: new AbortController().signal });
      try {
        await other.query('select pg_cancel_backend($1)', [this.#process]);
      } finally {
        await other.end();
      }
    } catch {
      // What cannot be reached any more has ended, or ends by its own time-out.
    }
  }
}

/** The same as a schema says it, at a tenth of the time: of these there are many. */
function textsOf(cells: unknown[]): Row {
  return cells.map((cell) => {
    if (cell === null || typeof cell === 'string') return cell;
    throw new TypeError(`A value came as ${typeof cell}, not as text`);
  });
}

async function connected(address: DatabaseAddress, options: DatabaseOptions): Promise<pg.Client> {
  const { tls } = address;
  const attempt = async (ssl: boolean | { rejectUnauthorized: boolean }) => {
    const client = new pg.Client({
      ...{ host: address.host, port: address.port, database: address.database, user: address.user, ssl },
      // As a function it is the only one: else the environment and a file of the person's own would be looked into.
      password: () => options.password ?? '',
      ...{ connectionTimeoutMillis: CONNECTING, application_name: 'Clean Sieve', client_encoding: 'UTF8', keepAlive: true },
    });
    try {
      await client.connect();
      return client;
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
  };
  try {
    options.signal.throwIfAborted();
    if (tls === 'disable' || address.host.startsWith('/')) return await attempt(false);
    if (tls === 'verify-full') return await attempt({ rejectUnauthorized: true });
    try {
      return await attempt({ rejectUnauthorized: false });
    } catch (error) {
      if (tls === 'prefer' && /does not support SSL/.test((error as Error).message)) return await attempt(false);
      throw error;
    }
  } catch (error) {
    options.signal.throwIfAborted();
    throw said(error, address);
  }
}

/** What went wrong, in words. */
function said(error: unknown, { host, port, database, user }: DatabaseAddress): Error {
  if (error instanceof ReadError) return error;
  const { code, message } = error as Error & { code?: string };
  const at = `${host}:${port}`;
  switch (code) {
    case 'ECONNREFUSED':
      return new ReadError(`Nothing answers at ${at}`, 'Look at host and port, and whether the database runs');
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return new ReadError(`There is no host ${host}`, 'Look at the address again');
    case 'ENOENT':
      return new ReadError(`There is no socket of a database in ${host}`, 'Look at the address again');
    case '28P01':
    case '28000':
      return new ReadError(`${at} does not let ${user} in: ${message}`, 'Look at user and password');
    case '3D000':
      return new ReadError(`${at} has no database ${database}`, 'Look at the address again');
    case '42501':
      return new ReadError(`${user} may not read that: ${message}`, 'Ask who runs the database for the right to');
    case '57014':
      return new ReadError(`The database gave up: ${message}`, 'Ask for less, by conditions on columns that have an index');
    case '53300':
      return new ReadError(`${at} takes no more connections: ${message}`, 'Try again later');
    default:
      if (/client password must be/.test(message)) return new ReadError(`${at} wants a password of ${user}`, 'Give it with the address');
      if (/does not support SSL/.test(message)) return new ReadError(`${at} has no TLS`, 'With sslmode=disable it goes without');
      if (/certificate|self.signed/i.test(message))
        return new ReadError(`The certificate of ${at} is not good: ${message}`, 'With sslmode=require it is not looked at');
      if (/timeout/i.test(message) && code === undefined)
        return new ReadError(`${at} did not answer for ${CONNECTING / 1000} seconds`, 'Look at host and port');
      if (/terminated|ECONNRESET|EPIPE/i.test(`${code} ${message}`))
        return new ReadError(`The connection to ${at} was lost (${message})`, 'Try again');
      return new ReadError(`The database answers with an error: ${message}`);
  }
}
