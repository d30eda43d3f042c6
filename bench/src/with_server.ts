import { Client } from '../../e2e/support/api_client.ts';
import { startServer } from '../../e2e/support/own_server.ts';

/** The built application with an empty workspace. */
export async function withServer<T>(work: (client: Client, url: string) => Promise<T>): Promise<T> {
  const server = await startServer({ demo: false });
  try {
    return await work(new Client(server.url), server.url);
  } finally {
    await server.stop();
  }
}
