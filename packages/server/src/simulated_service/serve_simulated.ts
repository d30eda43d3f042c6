import { join } from 'node:path';
import { serve } from '@hono/node-server';
import { simulatedApp } from './simulated_app.ts';
import { StormReports } from './storm_reports.ts';

/** The simulated service, listening on this machine. */
export interface Simulated {
  /** Address of the landing page. */
  address: string;
  close: () => void;
}

/** Starts the simulated service. @param demo folder of the demo's files. @returns null where the port is in use */
export async function serveSimulated(demo: string, port: number, clock?: () => number): Promise<Simulated | null> {
  const reports = await StormReports.open(join(demo, 'storm_reports.geojson.gz'), clock);
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: simulatedApp(reports).fetch, port, hostname: '127.0.0.1' }, (info) =>
      resolve({ address: `http://127.0.0.1:${info.port}/reports`, close: () => server.close() }),
    );
    server.on('error', (error: NodeJS.ErrnoException) => (error.code === 'EADDRINUSE' ? resolve(null) : reject(error)));
  });
}
