import { MikroORM, type SqlEntityManager } from '@mikro-orm/libsql';
import { Migrator } from '@mikro-orm/migrations';
import { ENTITIES } from './entities.ts';
import { MIGRATIONS } from './migrations.ts';

export type Store = MikroORM;
export type Entities = SqlEntityManager;

/** Opens the database file, bringing its tables up to date if asked. Each thread opens its own. */
export async function openStore(path: string, options: { migrate: boolean }): Promise<MikroORM> {
  const orm = await MikroORM.init({
    dbName: path,
    entities: ENTITIES,
    extensions: [Migrator],
    migrations: { migrationsList: MIGRATIONS, snapshot: false, silent: true },
    allowGlobalContext: true,
    discovery: { warnWhenNoEntities: false },
  });
  const connection = orm.em.getConnection();
  await connection.execute('PRAGMA journal_mode = WAL');
  await connection.execute('PRAGMA busy_timeout = 20000');
  await connection.execute('PRAGMA foreign_keys = ON');
  if (options.migrate) await orm.getMigrator().up();
  return orm;
}

/** A fresh identity map; every request and task works in its own. */
export function entities(orm: MikroORM): SqlEntityManager {
  return orm.em.fork();
}
