import { FilterError, ReadError } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import { z } from 'zod';
import { RefusedError, TooMuchError, UnwantedError } from '../sifting/sift_service.ts';
import { BusyError } from '../store/write_turn.ts';
import { failureOf, problemOf } from './problems.ts';

const named = (name: string, message: string) => Object.assign(new Error(message), { name });
const zodError = z.object({ n: z.number() }).safeParse({ n: 'x' }).error;

test.each<[string, unknown, number, RegExp]>([
  ['what a route says itself', new HTTPException(404, { message: 'There is no such sieve' }), 404, /no such sieve/],
  ['a value that does not fit', zodError, 400, /^n: /],
  ['a file', new ReadError('Row 3 is odd', 'Mend it'), 400, /^Row 3 is odd. Mend it$/],
  ['a filter', new FilterError('There is no column x', null), 400, /no column x/],
  ['a question', new RefusedError('not so'), 400, /not so/],
  ['broken JSON', new SyntaxError('Unexpected token'), 400, /Unexpected token/],
  ['depth', new RangeError('Maximum call stack size exceeded'), 400, /nested too deep/],
  ['a reader who left', new UnwantedError('gone'), 499, /gone/],
  ['too many questions', new TooMuchError('later'), 503, /later/],
  ['a turn that did not come', new BusyError('busy'), 503, /busy/],
  ['something removed', named('NotFoundError', 'Source not found ({ id: 3 })'), 404, /removed in the meantime/],
  ['a reference to nothing', named('ForeignKeyConstraintViolationException', 'insert into `sieve` …'), 404, /removed in the meantime/],
  ['a name twice', named('UniqueConstraintViolationException', 'UNIQUE constraint failed'), 409, /already/],
  ['another program', named('LockWaitTimeoutException', 'database is locked'), 503, /Another program/],
  [
    'a full disk',
    new Error('SQLITE_FULL: database or disk is full'),
    507,
    /The disk is full, or takes no larger files; nothing was changed/,
  ],
])('%s', (_, error, status, message) => {
  const problem = problemOf(error);
  expect([problem.status, problem.fault]).toEqual([status, false]);
  expect(problem.message).toMatch(message);
  expect(problem.message).not.toMatch(/insert into|constraint|sqlite/i);
});

test('a fault of the program is one, and nothing of how it is made is told', () => {
  const { status, message, fault } = problemOf(new Error("select * from `sieve` - near 'x': syntax error"));
  expect([status, fault]).toEqual([500, true]);
  expect(message).toMatch(/errors\.log/);
  expect(message).not.toMatch(/select|sieve`/);
});

test.each([
  ['a full disk', new Error("insert into geometry values (1, X'00ff') - database or disk is full"), /^The disk is full/],
  ['a file that may not grow', new Error("insert into geometry values (1, X'00ff') - disk I/O error"), /^The disk is full/],
  ['a question to the database', new Error('select a from b - no such column: a'), /^Something went wrong inside/],
  ['everything that was to be written', new Error('x'.repeat(100_000)), /^Something went wrong inside/],
  ['what the program says itself', new Error('The folder x is not there'), /^The folder x is not there$/],
])('why a job failed, %s', (_, error, words) => {
  expect(failureOf(error)).toMatch(words);
});
