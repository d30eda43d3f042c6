import { execFile, execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';

const run = promisify(execFile);

/** A PostgreSQL server of its own for tests, on a loopback port, with a database that has PostGIS. */
export interface Cluster {
  port: number;
  /** Of the user who may do everything. */
  address: string;
  /** Carries out SQL, and gives what it answers, a line a row. */
  sql(text: string, database?: string): Promise<string>;
  /** The arguments with which GDAL reaches it. */
  gdal: string;
  stop(): void;
}

/** The newest version that is installed. */
function programs(): string {
  const root = '/usr/lib/postgresql';
  const [newest] = readdirSync(root).sort((a, b) => Number(b) - Number(a));
  return join(root, newest, 'bin');
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const address = server.address();
      server.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });
}

/** Starts one in a folder of its own; nothing of it is left when it is stopped. */
export async function startCluster(): Promise<Cluster> {
  const bin = programs();
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-pg-'));
  const port = await freePort();
  // The server refuses to run as root.
  const isRoot = userInfo().uid === 0;
  if (isRoot) execFileSync('chown', ['postgres', folder]);
  else chmodSync(folder, 0o700);
  const [asServer, first] = isRoot ? ['runuser', ['-u', 'postgres', '--']] : ['env', []];
  const data = join(folder, 'data');
  const server = (program: string, ...args: string[]) => run(asServer, [...first, join(bin, program), ...args], { cwd: folder });
  await server('initdb', '-D', data, '-U', 'keeper', '-E', 'UTF8', '--locale=C.UTF-8', '--auth=trust', '--no-sync');
  writeFileSync(
    join(data, 'pg_hba.conf'),
    // Who is called “locked” needs a password, so that there is one to be wrong.
    ['local all all trust', 'host all locked 127.0.0.1/32 scram-sha-256', 'host all all 127.0.0.1/32 trust', ''].join('\n'),
  );
  const settings = `-p ${port} -k ${folder} -c listen_addresses=127.0.0.1 -c fsync=off -c full_page_writes=off -c shared_buffers=256MB -c max_wal_size=4GB -c jit=off`;
  try {
    await server('pg_ctl', '-D', data, '-w', '-l', join(folder, 'log'), '-o', settings, 'start');
  } catch (error) {
    throw new Error(`PostgreSQL does not start: ${readFileSync(join(folder, 'log'), 'utf8')}`, { cause: error });
  }
  const sql = async (text: string, database = 'gis') => {
    const args = ['-h', '127.0.0.1', '-p', String(port), '-U', 'keeper', '-d', database, '-X', '-q', '-A', '-t', '-v', 'ON_ERROR_STOP=1'];
    const { stdout } = await run(join(bin, 'psql'), [...args, '-c', text], {
      maxBuffer: 1 << 28,
      env: { ...process.env, PGCLIENTENCODING: 'UTF8' },
    });
    return stdout.trim();
  };
  await sql('create database gis', 'postgres');
  await sql('create extension postgis');
  return {
    port,
    address: `postgresql://keeper@127.0.0.1:${port}/gis?sslmode=disable`,
    gdal: `PG:host=127.0.0.1 port=${port} dbname=gis user=keeper`,
    sql,
    stop() {
      execFileSync(asServer, [...first, join(bin, 'pg_ctl'), '-D', data, '-m', 'immediate', 'stop'], { cwd: folder, stdio: 'ignore' });
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
