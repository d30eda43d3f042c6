import { MikroORM, type SqlEntityManager } from '@mikro-orm/libsql';
import { Migrator } from '@mikro-orm/migrations';
import { connectionsWith } from './connections.ts';
import { ENTITIES } from './entities.ts';
import { MIGRATIONS } from './migrations.ts';
import { WriteTurn } from './write_turn.ts';

export type Store = MikroORM;
export type Entities = SqlEntityManager;

/** What a thread opens the database with. */
export interface ThreadData {
  database: string;
  /** The turn to write that all threads share. */
  turn: SharedArrayBuffer;
}

/** How many requests of a thread can be at the database at once: one that waits for its turn to write holds up no other. */
const CONNECTIONS = 6;

/**
 * Opens the database file, bringing its tables up to date if asked. Each thread opens its own.
 * @param turn the turn to write that all threads share; one of its own unless given
 */
export async function openStore(
  path: string,
  { migrate, turn = new WriteTurn() }: { migrate: boolean; turn?: WriteTurn },
): Promise<MikroORM> {
  const orm = await MikroORM.init({
    dbName: path,
    entities: ENTITIES,
    extensions: [Migrator],
    migrations: { migrationsList: MIGRATIONS, snapshot: false, silent: true },
    allowGlobalContext: true,
    discovery: { warnWhenNoEntities: false },
    pool: { min: 0, max: CONNECTIONS },
    driverOptions: { client: connectionsWith(turn) },
  });
  tellWhyNotBegun(orm);
  if (migrate) await orm.getMigrator().up();
  return orm;
}

/** A transaction that could not begin is handed out all the same and refuses everything after; here it says why at once. */
function tellWhyNotBegun(orm: MikroORM): void {
  const connection = orm.em.getConnection();
  const begin = connection.begin.bind(connection);
  connection.begin = async (...options: Parameters<typeof begin>) => {
    const transaction = await begin(...options);
    if (transaction.isCompleted()) await transaction.executionPromise;
    return transaction;
  };
}

/** A fresh identity map; every request and task works in its own. */
export function entities(orm: MikroORM): SqlEntityManager {
  return orm.em.fork();
}
