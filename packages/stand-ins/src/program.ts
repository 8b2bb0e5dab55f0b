import type { Express } from 'express';

/** Runs a stand-in on loopback until it is told to stop or whoever started it is gone; tells the starter its port. */
export function runProgram(name: string, app: Express, port: number): void {
  const server = app.listen(port, '127.0.0.1', (error) => {
    if (error) {
      process.stderr.write(`${name} cannot listen on port ${port}: ${error.message}\n`);
      process.exitCode = 1;
      return;
    }
    const address = server.address();
    const listens = typeof address === 'object' ? address?.port : port;
    if (process.send) process.send({ type: 'ready', port: listens });
    else process.stdout.write(`${name} listens at http://127.0.0.1:${listens}\n`);
  });
  const stop = (): void => {
    server.close(() => process.exit(0));
    server.closeAllConnections();
  };
  process.once('SIGTERM', stop);
  process.once('SIGINT', stop);
  process.once('disconnect', stop);
}
