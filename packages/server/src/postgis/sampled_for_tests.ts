import { randomUUID } from 'node:crypto';
import type { FeatureTable } from '@clean-sieve/core';
import type { Cluster } from '../../../../tests/postgis/cluster.ts';
import { keptOfSnapshot } from '../fetching/kept_of_snapshot.ts';
import type { LayerHere, Snapshot } from '../fetching/snapshot.ts';
import { Source, type SourceRow } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import type { StoreForTests } from '../store/store_for_tests.ts';
import { saveTable } from '../store/table_store.ts';
import { databaseAddressOf } from './database_address.ts';
import { fetchTable, surveyDatabase } from './database_jobs.ts';

/** Tables of a database, for tests about samples of them. */
export class SampledTables {
  readonly #workspace: StoreForTests;
  readonly #cluster: Cluster;
  readonly #asOf: number;

  /** @param asOf days since 1970-01-01 */
  constructor(workspace: StoreForTests, cluster: Cluster, asOf: number) {
    [this.#workspace, this.#cluster, this.#asOf] = [workspace, cluster, asOf];
  }

  async asked(filter: string | null, sample: number | null, called: string): Promise<Snapshot> {
    const silent = () => undefined;
    const survey = await surveyDatabase(this.#cluster.address, null, silent);
    const { address } = databaseAddressOf(this.#cluster.address);
    const collection = survey.collections.find(({ id }) => id === `public.${called}`)!;
    const wanted = { address: address.text, conformance: [], collection, filter, leftOut: ['large'], live: true, sample };
    return fetchTable(this.#workspace.store, wanted, null, silent);
  }

  /** A live source over a table, asked for a sample. */
  async sampled(filter: string | null, sample: number, called: string): Promise<SourceRow> {
    const snapshot = await this.asked(filter, sample, called);
    const { read } = snapshot.came as LayerHere;
    const { table, notes } = await keptOfSnapshot(read.table, snapshot, this.#asOf);
    const { conditions, sample: told } = snapshot;
    const live = { held: randomUUID(), conditions, ...(told ? { sample: told } : {}) };
    const em = entities(this.#workspace.store);
    const id = await saveTable(em, table, {
      ...{ name: `${called} ${filter} ${sample}`, fileName: called, format: 'postgresql', layer: `public.${called}`, encoding: null },
      ...{ role: 'layer', notes, remarks: [], invalidShapes: 0, fetchedFrom: { ...snapshot.from, live } },
    });
    return em.findOneOrFail(Source, { id }, { populate: ['columns'] });
  }

  /** All that a table has of what is asked for, looked at here. */
  async all(filter: string | null, called: string): Promise<FeatureTable> {
    const snapshot = await this.asked(filter, null, called);
    return (await keptOfSnapshot((snapshot.came as LayerHere).read.table, snapshot, this.#asOf)).table;
  }
}
