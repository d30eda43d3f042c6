import type { Context, Next } from 'hono';

/** Scripts, styles, pictures and data of the interface come from this address only; no other page may put it into a frame. */
const INTERFACE = [
  "default-src 'none'",
  "script-src 'self'",
  // The component library and the map set styles of elements.
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data: blob:",
  "font-src 'self'",
  "connect-src 'self'",
  "worker-src 'self' blob:",
  "form-action 'none'",
  "base-uri 'none'",
  "frame-ancestors 'none'",
].join('; ');
/** A document that is only read: a note, a page of a feed. */
const DOCUMENT =
  "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'; sandbox allow-popups allow-downloads allow-same-origin";

const EVERYWHERE = {
  'x-content-type-options': 'nosniff',
  'x-frame-options': 'DENY',
  'referrer-policy': 'no-referrer',
  'cross-origin-opener-policy': 'same-origin',
};

/** Headers that keep others from reading along, framing and running anything in the name of this address. */
function safe(policy: string) {
  return async (c: Context, next: Next): Promise<void> => {
    await next();
    for (const [name, value] of Object.entries(EVERYWHERE)) c.header(name, value);
    // What is further inside knows better.
    if (!c.res.headers.has('content-security-policy')) c.header('content-security-policy', policy);
  };
}

/** On every answer of the interface's address. */
export const safeInterface = safe(INTERFACE);
/** On documents that are only read. */
export const safeDocument = safe(DOCUMENT);
