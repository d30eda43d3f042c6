import { Random } from '../../demo/src/random.ts';
import { withServer } from './with_server.ts';

/** What many clients at once wait for, in milliseconds. */
export interface Load {
  /** The slowest trivial answer while 50 clients ask and a file comes in. */
  trivial: number;
  asked: number;
  /** The count of a moved bound over 250,000 rows meanwhile: median and slowest. */
  moved: number;
  slowest: number;
}

const CLIENTS = 50;
const ROWS = 250_000;

function csv(rows: number, seed: number): string {
  const random = new Random(seed);
  const lines = ['lon,lat,v,w'];
  for (let n = 0; n < rows; n++)
    lines.push(
      `${(random.next() * 20).toFixed(6)},${(40 + random.next() * 12).toFixed(6)},${(random.next() * 100).toFixed(3)},${random.whole(0, 999)}`,
    );
  return lines.join('\n');
}

/** Fifty clients ask for the workspace while another moves a bound and a large file is brought in. */
export async function load(): Promise<Load> {
  return withServer(async (client) => {
    const [sourceId] = await client.bringIn({ 'counted.csv': csv(ROWS, 1) });
    const sift = async (bound: number) => {
      const tree = {
        kind: 'group',
        id: 'root',
        combine: 'all',
        children: [{ kind: 'condition', id: 'c', expr: { op: '>=', args: [{ property: 'v' }, bound] } }],
      };
      await client.bytes(`api/sources/${sourceId}/sift`, { method: 'POST', body: JSON.stringify({ tree }) });
    };
    // The source is open, as it is while someone works with it.
    await sift(0);
    const upload = await client.upload({ 'coming in.csv': csv(1_000_000, 2) });
    const layers = [{ file: 'coming in.csv', layer: 'coming in', name: 'coming in' }];
    const { id } = await client.send<{ id: string }>('POST', `api/uploads/${upload}/imports`, { layers });
    let coming = true;
    const import_ = client.job(id).then(() => (coming = false));
    let [trivial, asked] = [0, 0];
    const random = new Random(3);
    // A person looks at something for a second between two clicks, and windows follow a job's progress.
    const pause = () => new Promise((done) => setTimeout(done, 500 + random.next() * 1000));
    const asking = Array.from({ length: CLIENTS }, async (_, n) => {
      await pause();
      while (coming) {
        const began = performance.now();
        await client.get(n % 2 === 0 ? 'api/workspace' : `api/jobs/${id}`);
        trivial = Math.max(trivial, performance.now() - began);
        asked++;
        await pause();
      }
    });
    const moves: number[] = [];
    for (let n = 0; coming; n++) {
      const began = performance.now();
      await sift((n * 7.3) % 100);
      moves.push(performance.now() - began);
      await new Promise((done) => setTimeout(done, 60));
    }
    await Promise.all([import_, ...asking]);
    moves.sort((a, b) => a - b);
    return { trivial, asked, moved: moves[moves.length >> 1], slowest: moves[moves.length - 1] };
  });
}
