import { isDatabase } from '@clean-sieve/core';
import { addressOf } from '../ogc_api/survey.ts';
import type { ServiceKey } from '../ogc_api/service_client.ts';
import { databaseAddressOf, PASSWORD } from '../postgis/database_address.ts';

/**
 * What a person typed as the address of a service or a database. What opens it is taken out of the address, which is shown and kept.
 * Throws a ReadError.
 */
export function placeOf(typed: string): { address: string; host: string; key: ServiceKey | null } {
  if (!isDatabase(typed)) {
    const url = addressOf(typed);
    return { address: url.href, host: url.host, key: null };
  }
  const { address, password } = databaseAddressOf(typed);
  const url = new URL(address.text);
  if (address.table !== null) url.searchParams.set('table', address.table);
  return { address: url.href, host: url.host, key: password === null ? null : { header: PASSWORD, value: password } };
}
