import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Group, TreeNode } from '@clean-sieve/core';
import { Client } from '../../e2e/support/api_client.ts';
import { startServer, TOP, type Running } from '../../e2e/support/own_server.ts';
import type { SiftHead } from '../../packages/server/src/api/contract.ts';
import type { Records } from './records.ts';

/** A running server without the demo. */
export class Served extends Client {
  readonly #server: Running;
  /** Files of this run. */
  readonly folder: string;

  private constructor(server: Running) {
    super(server.url);
    this.#server = server;
    this.folder = mkdtempSync(join(tmpdir(), 'clean-sieve-oracle-'));
  }

  static async start(asOf: string): Promise<Served> {
    execFileSync('bash', ['-c', '. scripts/setup.sh && need_server && need_web'], { cwd: TOP });
    const served = new Served(await startServer({ demo: false }));
    await served.send('PATCH', 'api/workspace', { asOf });
    return served;
  }

  async stop(): Promise<void> {
    rmSync(this.folder, { recursive: true, force: true });
    await this.#server.stop();
  }

  /** Writes the features down as GeoJSON and brings that in. */
  async bringInRecords(records: Records, name: string): Promise<{ sourceId: number; file: string }> {
    const text = geoJson(records);
    const file = join(this.folder, `${name}.geojson`);
    writeFileSync(file, text);
    const [sourceId] = await this.bringIn({ [`${name}.geojson`]: text });
    return { sourceId, file };
  }

  /** The stack's numbers and the mask that the map draws by, one truth a feature. */
  async sift(sourceId: number, tree: Group): Promise<{ head: SiftHead; drawn: boolean[] }> {
    const bytes = await this.bytes(`api/sources/${sourceId}/sift`, { method: 'POST', body: JSON.stringify({ tree }) });
    const size = bytes.readUInt32LE(0);
    const head = JSON.parse(bytes.subarray(4, 4 + size).toString()) as SiftHead;
    const bits = bytes.subarray(4 + size);
    return { head, drawn: Array.from({ length: 8 * bits.length }, (_, i) => ((bits[i >> 3] >> (i & 7)) & 1) === 1) };
  }

  /** Publishes a sieve of its own, and tells where its features and tiles are. */
  async publish(sourceId: number, name: string, children: TreeNode[]): Promise<string> {
    const tree: Group = { kind: 'group', id: 'root', combine: 'all', children };
    const sieve = await this.send<{ id: number }>('POST', 'api/sieves', { sourceId, name, tree, colour: 0, visible: true });
    const feed = await this.send<{ id: string }>('POST', `api/sieves/${sieve.id}/feeds`, { frozen: false });
    const { collections } = await this.get<{ collections: { id: string }[] }>(`feeds/${feed.id}/collections`);
    return `feeds/${feed.id}/collections/${collections[0].id}`;
  }
}

function geoJson({ types, rows, shapes, place: { system } }: Records): string {
  const crs = system === null ? {} : { crs: { type: 'name', properties: { name: `urn:ogc:def:crs:${system.replace(':', '::')}` } } };
  const features = rows.map((row, i) => ({
    type: 'Feature',
    geometry: shapes[i],
    properties: Object.fromEntries(Object.keys(types).map((name) => [name, row[name]])),
  }));
  return JSON.stringify({ type: 'FeatureCollection', ...crs, features });
}
