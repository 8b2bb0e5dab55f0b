import { randomUUID } from 'node:crypto';
import express, { type Express } from 'express';

/*
 * A bot of somebody else's that knows the tides, behind an API of its own: a session is opened with the first message and goes on with
 * the name that the answer tells. It remembers the harbour that was talked about.
 */

const HARBOURS: Readonly<Record<string, number>> = { kelpwick: 0, 'port anselm': 35, 'tarn holm': 70, 'gannet quay': 110 };
const MOST_SESSIONS = 1000;
/** Between two high waters, in minutes. */
const TIDE_MINUTES = 745;
const FIRST_HIGH_MINUTES = 312;

interface Session {
  harbour: string | undefined;
  questions: number;
}

const clock = (minutes: number): string =>
  `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

/** High waters of a day at a harbour; the made-up sea comes 50 minutes later every day. */
export function highWaters(harbour: string, day: number): string[] {
  const first = (FIRST_HIGH_MINUTES + (HARBOURS[harbour] ?? 0) + day * 50) % TIDE_MINUTES;
  return [first, first + TIDE_MINUTES].filter((m) => m < 1440).map(clock);
}

function answer(session: Session, said: string): string {
  const words = said.toLowerCase().replaceAll('-', ' ');
  const named = Object.keys(HARBOURS).find((h) => words.includes(h));
  session.harbour = named ?? session.harbour;
  session.questions++;
  if (session.harbour === undefined) return 'For which harbour? I know Kelpwick, Port Anselm, Tarn Holm and Gannet Quay.';
  const name = session.harbour.replace(/\b[a-z]/g, (c) => c.toUpperCase());
  const tomorrow = /\b(?:tomorrow|morgen|mañana)\b/.test(words);
  return `${tomorrow ? 'Tomorrow' : 'Today'} the water is high at ${name} at ${highWaters(session.harbour, tomorrow ? 1 : 0).join(' and ')}.`;
}

export function createTideBotApp(): Express {
  const app = express();
  const sessions = new Map<string, Session>();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '64kb' }));
  app.post('/talk', (req, res) => {
    const { session, says } = req.body as { session?: unknown; says?: unknown };
    if (typeof says !== 'string' || says.trim() === '') return void res.status(422).json({ trouble: 'say something' });
    if (typeof session === 'string' && !sessions.has(session))
      return void res.status(404).json({ trouble: 'this session is over' });
    const name = typeof session === 'string' ? session : randomUUID();
    const held = sessions.get(name) ?? { harbour: undefined, questions: 0 };
    sessions.set(name, held);
    const [oldest] = sessions.keys();
    if (sessions.size > MOST_SESSIONS && oldest !== undefined) sessions.delete(oldest);
    res.json({ session: name, reply: answer(held, says.slice(0, 500)), questions: held.questions });
  });
  app.delete('/talk', (_req, res) => {
    sessions.clear();
    res.status(204).end();
  });
  app.use((req, res) => void res.status(404).json({ trouble: `there is nothing at ${req.path}` }));
  return app;
}
