import { ReadError } from '@clean-sieve/core';

/** Where a database is, without its password. */
export interface DatabaseAddress {
  /** `postgresql://user@host:port/name?sslmode=…`: what is kept and shown. */
  text: string;
  host: string;
  port: number;
  database: string;
  user: string;
  /** How the connection is made safe; `prefer` goes without where the server has no TLS. */
  tls: 'disable' | 'prefer' | 'require' | 'verify-full';
  /** The table that was named, as in `?table=schema.name`. */
  table: string | null;
}

/** Under which a password is kept, where services have a header. */
export const PASSWORD = 'Password';

const EXAMPLE = 'An address is as in postgresql://user@host:5432/database';
const MODES = ['disable', 'prefer', 'require', 'verify-full'] as const;

/**
 * Reads the address of a database, or its parts. A password in it is taken out, so that it is shown and kept nowhere with the address.
 * Throws a ReadError.
 */
export function databaseAddressOf(text: string): { address: DatabaseAddress; password: string | null } {
  const trimmed = text.trim();
  return /^postgres(ql)?:\/\//i.test(trimmed) ? ofUrl(trimmed) : ofParts(trimmed);
}

function ofUrl(text: string): ReturnType<typeof databaseAddressOf> {
  const url = URL.parse(text);
  if (!url) throw new ReadError('That is not the address of a database', EXAMPLE);
  const { searchParams: params } = url;
  const known = ['sslmode', 'table', 'host', 'user', 'password'];
  for (const name of params.keys())
    if (!known.includes(name)) throw new ReadError(`The address of a database has no “${name}” here`, `It can have ${known.join(', ')}`);
  return addressOf({
    host: params.get('host') ?? plain(url.hostname),
    port: url.port,
    dbname: plain(url.pathname.replace(/^\//, '')),
    user: params.get('user') ?? plain(url.username),
    password: params.get('password') ?? plain(url.password),
    sslmode: params.get('sslmode'),
    table: params.get('table'),
  });
}

function plain(encoded: string): string {
  try {
    return decodeURIComponent(encoded);
  } catch {
    throw new ReadError('A % in the address of a database begins the code of a character', 'A % itself is written %25');
  }
}

function ofParts(text: string): ReturnType<typeof databaseAddressOf> {
  const parts = new Map<string, string>();
  const part = /\s*([a-z]+)\s*=\s*(?:'((?:[^'\\]|\\.)*)'|(\S+))/gy;
  let end = 0;
  for (let match = part.exec(text); match; match = part.exec(text)) {
    const [, name, quoted, bare] = match;
    parts.set(name, quoted === undefined ? bare : quoted.replaceAll(/\\(.)/g, '$1'));
    end = part.lastIndex;
  }
  const rest = text.slice(end).trim();
  if (rest !== '') throw new ReadError('The parts of the address of a database are as in host=localhost dbname=gis user=me', EXAMPLE);
  const known = ['host', 'port', 'dbname', 'user', 'password', 'sslmode', 'table'];
  for (const name of parts.keys())
    if (!known.includes(name)) throw new ReadError(`The address of a database has no “${name}” here`, `It can have ${known.join(', ')}`);
  const { host = '', port = '', dbname = '', user = '', password = '' } = Object.fromEntries(parts);
  return addressOf({ host, port, dbname, user, password, sslmode: parts.get('sslmode') ?? null, table: parts.get('table') ?? null });
}

interface Parts {
  host: string;
  port: string;
  dbname: string;
  user: string;
  password: string;
  sslmode: string | null;
  table: string | null;
}

function addressOf({ host, port, dbname, user, password, sslmode, table }: Parts): ReturnType<typeof databaseAddressOf> {
  if (host === '') throw new ReadError('The address of the database names no host', EXAMPLE);
  if (dbname === '') throw new ReadError('The address names no database', EXAMPLE);
  if (user === '') throw new ReadError('The address names no user', EXAMPLE);
  const number = port === '' ? 5432 : Number(port);
  if (!Number.isInteger(number) || number < 1 || number > 65535) throw new ReadError(`${port} is not a port`, EXAMPLE);
  const tls = sslmode === null ? 'prefer' : MODES.find((mode) => mode === sslmode);
  if (!tls) throw new ReadError(`There is no sslmode ${sslmode}`, `It is one of ${MODES.join(', ')}`);
  // A socket stands in a folder.
  const isSocket = host.startsWith('/');
  const url = new URL(
    `postgresql://${encodeURIComponent(user)}@${isSocket ? 'localhost' : host.includes(':') ? `[${host.replaceAll(/[[\]]/g, '')}]` : encodeURIComponent(host)}`,
  );
  url.port = String(number);
  url.pathname = `/${encodeURIComponent(dbname)}`;
  if (isSocket) url.searchParams.set('host', host);
  if (tls !== 'prefer') url.searchParams.set('sslmode', tls);
  const address = { text: url.href, host, port: number, database: dbname, user, tls, table };
  return { address, password: password === '' ? null : password };
}
