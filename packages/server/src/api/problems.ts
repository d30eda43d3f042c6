import { FilterError, ReadError } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import { z } from 'zod';
import { RefusedError, TooMuchError, UnwantedError } from '../sifting/sift_service.ts';
import { DISK_FULL } from '../store/open_workspace.ts';
import { BusyError } from '../store/write_turn.ts';

const NO_ROOM = 'The disk is full, or takes no larger files; nothing was changed. Make room and try again.';
const INSIDE = 'Something went wrong inside Clean Sieve; nothing was changed. The reason stands in errors.log in the data folder.';

/** What is answered where something went wrong. */
export interface Problem {
  status: ContentfulStatusCode;
  message: string;
  /** Whether it is a fault of the program, whose reason nobody is told but the log. */
  fault: boolean;
}

/** The client closed the connection (common practice; the answer is read by nobody). */
const CLIENT_IS_GONE = 499 as ContentfulStatusCode;

/** An error as an answer: what is wrong with the question in words, what is wrong inside without a word of how it is made. */
export function problemOf(error: unknown): Problem {
  const told = (status: ContentfulStatusCode, message: string): Problem => ({ status, message, fault: false });
  if (error instanceof HTTPException) return told(error.status, error.message);
  if (error instanceof z.ZodError) return told(400, error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; '));
  if (error instanceof ReadError || error instanceof FilterError) return told(400, error.line);
  if (error instanceof RefusedError || error instanceof SyntaxError) return told(400, error.message);
  if (error instanceof UnwantedError) return told(CLIENT_IS_GONE, error.message);
  if (error instanceof TooMuchError || error instanceof BusyError) return told(503, error.message);
  const { name, message } = error as Error;
  // Groups within groups, thousands deep.
  if (error instanceof RangeError && /call stack/i.test(message)) return told(400, 'The request is nested too deep');
  if (name === 'NotFoundError' || name === 'ForeignKeyConstraintViolationException')
    return told(404, 'What this is about is no longer there: it was removed in the meantime');
  if (name === 'UniqueConstraintViolationException') return told(409, 'There is one of that name or number already');
  if (name === 'LockWaitTimeoutException')
    return told(503, 'Another program has the workspace’s file open and is writing to it; nothing was changed. Try again.');
  if (DISK_FULL.test(message)) return told(507, NO_ROOM);
  return { status: 500, message: INSIDE, fault: true };
}

/** Why a job failed, in words: what the program itself says of a file or a folder, and nothing of how its database is asked. */
export function failureOf(error: unknown): string {
  const { name, message } = error as Error;
  if (DISK_FULL.test(message)) return NO_ROOM;
  return /Exception$/.test(name) || /SQLITE|\b(insert into|delete from|update|select)\b.* - /s.test(message) || message.length > 1000
    ? INSIDE
    : message;
}
