import { rmSync } from 'node:fs';
import { Client } from '../../e2e/support/api_client.ts';
import { startServer } from '../../e2e/support/own_server.ts';
import { copyOf, type Base } from './base.ts';
import type { Operation } from './operations.ts';
import { whatIsNotWhole } from './whole.ts';

/** A kill: the program ends at the so manieth time that it reaches a step. */
export interface Kill {
  operation: Operation;
  step: string;
  time: number;
}

/** Every step of every operation, each time that it is reached. */
export function everyKill(operations: readonly Operation[]): Kill[] {
  return operations.flatMap((operation) =>
    Object.entries(operation.steps).flatMap(([step, times]) => Array.from({ length: times }, (_, i) => ({ operation, step, time: i + 1 }))),
  );
}

export const nameOf = ({ operation, step, time }: Kill) => `${operation.name}, killed at “${step}” number ${time}`;

/** Whether a kill came to pass, and what was wrong after the next start. */
export interface Found {
  killed: boolean;
  wrong: string[];
}

/** Does something to a copy of the base, is killed on the way, starts again, and looks whether all is whole. */
export async function tryKill(base: Base, { operation, step, time }: Kill, copy: string): Promise<Found> {
  const data = copyOf(base, copy);
  const first = await startServer({ demo: false, data, removeData: false, env: { CLEAN_SIEVE_KILL_AT: `${step}:${time}` } });
  const acknowledged: string[] = [];
  let killed = false;
  try {
    await operation.run(new Client(first.url), base, (what) => acknowledged.push(what));
  } catch (error) {
    // What the kill leads to: no answer, or half of one.
    if (!['TypeError', 'SyntaxError'].includes((error as Error).name)) throw error;
    killed = true;
  }
  await first.stop('SIGKILL');
  const second = await startServer({ demo: false, data, removeData: false });
  try {
    const client = new Client(second.url);
    const wrong = whatIsNotWhole(data);
    const problem = await operation.wrong(await client.get('api/workspace'), base, acknowledged, client);
    // What was begun can be done after all.
    await client.send('PATCH', 'api/workspace', { name: 'goes on' });
    return { killed, wrong: problem === null ? wrong : [...wrong, problem] };
  } finally {
    await second.stop();
    rmSync(data, { recursive: true, force: true });
  }
}
