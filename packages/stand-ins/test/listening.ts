import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/** Serves things on loopback for the tests of a suite, and ends them after it. */
export function serving(): (app: RequestListener) => Promise<string> {
  const servers: Server[] = [];
  after(() => {
    for (const server of servers) {
      server.close();
      server.closeAllConnections();
    }
  });
  return async (app) => {
    const server = createServer(app);
    servers.push(server);
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  };
}
