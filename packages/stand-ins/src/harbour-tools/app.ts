import { McpServer } from '@modelcontextprotocol/sdk/server/mcp.js';
import { StreamableHTTPServerTransport } from '@modelcontextprotocol/sdk/server/streamableHttp.js';
import express, { type Express, type Request, type Response } from 'express';
import { randomUUID } from 'node:crypto';
import { z } from 'zod';

/*
 * Harbour tools: a small MCP server over streamable HTTP, of the kind that others run. Tides to read, and a lamp to switch.
 */

const PORTS = ['kelpwick', 'port-anselm', 'gannet-quay', 'tarn-holm'] as const;
const MINUTES_LATER = [0, 17, 41, 58];
const TIDE_MINUTES = 745;

/** High waters of a made-up sound: the same day always has the same ones. */
export function tidesOn(port: (typeof PORTS)[number], day: string): string[] {
  const days = Math.floor(Date.parse(`${day}T00:00:00Z`) / 86_400_000);
  const first = ((days * 50) % TIDE_MINUTES) + (MINUTES_LATER[PORTS.indexOf(port)] ?? 0);
  return [first, first + TIDE_MINUTES]
    .filter((m) => m < 1440)
    .map((m) => `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`);
}

/** What was switched, for whoever looks at it. */
export interface Lamps {
  readonly on: Set<string>;
  switches: number;
}

function serverOf(lamps: Lamps): McpServer {
  const server = new McpServer({ name: 'harbour-tools', version: '1' });
  server.registerTool(
    'tides',
    {
      description: 'high waters at a port on a day',
      inputSchema: { port: z.enum(PORTS).describe('the port'), day: z.string().describe('the day, YYYY-MM-DD') },
      annotations: { readOnlyHint: true },
    },
    ({ port, day }) => {
      const high = { port, day, high_waters: tidesOn(port, day) };
      return { content: [{ type: 'text', text: JSON.stringify(high) }], structuredContent: high };
    },
  );
  server.registerTool(
    'switch-lamp',
    {
      description: 'switches the lamp of a pier on or off',
      inputSchema: { port: z.enum(PORTS).describe('the port of the pier'), on: z.boolean().describe('on, or off') },
    },
    ({ port, on }) => {
      lamps.switches++;
      if (on) lamps.on.add(port);
      else lamps.on.delete(port);
      return { content: [{ type: 'text', text: JSON.stringify({ port, lamp: on ? 'on' : 'off' }) }] };
    },
  );
  return server;
}

/** The server: one session for each client, which `close` ends. */
export function createHarbourTools(lamps: Lamps = { on: new Set(), switches: 0 }): Express {
  const app = express();
  const sessions = new Map<string, StreamableHTTPServerTransport>();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '1mb' }));
  const handle = async (req: Request, res: Response): Promise<void> => {
    const id = req.headers['mcp-session-id'];
    const known = typeof id === 'string' ? sessions.get(id) : undefined;
    if (typeof id === 'string' && !known) {
      res.status(404).json({ jsonrpc: '2.0', error: { code: -32001, message: 'no such session' }, id: null });
      return;
    }
    const transport = known ?? (await begin());
    await transport.handleRequest(req, res, req.body);
  };
  const begin = async (): Promise<StreamableHTTPServerTransport> => {
    const transport: StreamableHTTPServerTransport = new StreamableHTTPServerTransport({
      sessionIdGenerator: randomUUID,
      onsessioninitialized: (id) => void sessions.set(id, transport),
      onsessionclosed: (id) => void sessions.delete(id),
    });
    await serverOf(lamps).connect(transport);
    return transport;
  };
  app.get('/lamps', (_req, res) => void res.json({ on: [...lamps.on], switches: lamps.switches }));
  app.all('/mcp', (req, res) => void handle(req, res));
  return app;
}
