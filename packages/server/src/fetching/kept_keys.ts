import type { ServiceKey } from '../ogc_api/service_client.ts';
import { ServiceKeyRow } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';

/** The key that is kept for a service, by an address in it. */
export async function keyFor(em: Entities, address: URL): Promise<ServiceKey | null> {
  const within = (root: string) =>
    [address.href, withoutTable(address)].includes(root) || address.href.startsWith(`${root.replace(/\/$/, '')}/`);
  const known = (await em.find(ServiceKeyRow, {})).filter((row) => within(row.address));
  const [nearest] = known.sort((a, b) => b.address.length - a.address.length);
  return nearest ? { header: nearest.header, value: nearest.value } : null;
}

/** The address of a database, without the table that it names. */
function withoutTable(address: URL): string {
  const url = new URL(address);
  url.searchParams.delete('table');
  return url.href;
}
