import { PictureMaker } from './picture_maker.ts';
import type { DrawAnswer, DrawMessage } from './messages.ts';

/** The thread that draws the features, so that the interface never waits for it. */

const maker = new PictureMaker(
  async ({ sourceId, ofAll, plane, z, x, y }, signal) => {
    const [source, at] = [`/api/sources/${sourceId}`, `tiles/${z}/${x}/${y}`];
    const response = await (ofAll === null
      ? fetch(`${source}/${at}?plane=${encodeURIComponent(plane)}`, { signal })
      : fetch(`${source}/wholes/${at}`, { signal, method: 'POST', body: JSON.stringify({ ...(JSON.parse(ofAll) as object), plane }) }));
    if (response.ok) return new Uint8Array(await response.arrayBuffer());
    // The source was removed meanwhile.
    if (response.status === 404) return null;
    const { error } = (await response.json().catch(() => ({}))) as { error?: string };
    throw new Error(error ?? `The server answered ${response.status}`);
  },
  (answer: DrawAnswer) => self.postMessage(answer, { transfer: answer.kind === 'picture' ? [answer.picture] : [] }),
);

self.addEventListener('message', ({ data }: MessageEvent<DrawMessage>) => maker.draw(data));
