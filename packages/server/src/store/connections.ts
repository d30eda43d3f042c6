import { LibSqlKnexDialect } from '@mikro-orm/libsql';
import { step } from '../steps.ts';
import type { WriteTurn } from './write_turn.ts';

/** A raw connection as the driver gives it. */
export interface RawConnection {
  inTransaction: boolean;
  exec(sql: string): void;
  close(): void;
}

/** A statement on its way to a connection, and its answer. */
interface Query {
  sql: string;
  response?: unknown;
}

/**
 * What every connection is set to, not only the first. WAL lets readers go on while something is written; FULL has a commit on
 * the disk before it is answered. Writers take turns before they reach the database, so the waiting time is for other programs.
 */
const SETTINGS = 'PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON; PRAGMA busy_timeout = 5000';

const WRITES = /^\s*(insert|update|delete|replace|create|alter|drop|reindex|vacuum)\b/i;

/**
 * Connections of the ORM that take turns in writing: a transaction from its beginning, as a writer, and a single statement on
 * its own. They are not renewed; one on which a statement failed is not used again, as the driver leaves such a statement open,
 * and nothing can be committed beside it.
 */
export function connectionsWith(turn: WriteTurn): typeof LibSqlKnexDialect {
  /** The connections whose turn it is; the ORM copies its clients, so it is not one of their fields. */
  const writing = new WeakSet<RawConnection>();
  const failed = new WeakSet<RawConnection>();
  const begin = async (connection: RawConnection) => {
    await turn.take();
    writing.add(connection);
  };
  const end = (connection: RawConnection) => {
    if (writing.delete(connection)) turn.give();
  };
  return class extends LibSqlKnexDialect {
    override async acquireRawConnection(): Promise<RawConnection> {
      const connection = (await super.acquireRawConnection()) as RawConnection;
      connection.exec(SETTINGS);
      return connection;
    }

    override validateConnection(connection: RawConnection): boolean {
      return !connection.inTransaction && !failed.has(connection);
    }

    async destroyRawConnection(connection: RawConnection): Promise<void> {
      end(connection);
      connection.close();
      return Promise.resolve();
    }

    override async _query(connection: RawConnection, query: Query): Promise<unknown> {
      const begins = /^\s*begin\b/i.test(query.sql);
      const ends = /^\s*(commit|rollback)\s*;?\s*$/i.test(query.sql);
      const isTurn = !ends && !writing.has(connection) && (begins || WRITES.test(query.sql));
      if (isTurn) await begin(connection);
      try {
        if (!begins && !ends) return (await super._query(connection, query)) as unknown;
        if (ends) step('commit');
        connection.exec(begins ? 'BEGIN IMMEDIATE' : query.sql);
        if (ends) step('commit done');
        query.response = [];
        return query;
      } catch (error) {
        failed.add(connection);
        // A commit that fails, as on a full disk, can leave its transaction open.
        if (ends && connection.inTransaction) connection.exec('ROLLBACK');
        throw error;
      } finally {
        if ((isTurn || ends) && !connection.inTransaction) end(connection);
      }
    }
  };
}
