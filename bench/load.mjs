// The load of the turn benchmark, in a process of its own: visitors who each say something, wait for the answer, and go on.
// argv: kind (turns|floor), base address, conversations at once, seconds. Prints one line of JSON.
import { Agent, request } from 'node:http';

const [kind, base, atOnce, seconds] = process.argv.slice(2);
const agent = new Agent({ keepAlive: true, maxSockets: Infinity });
const { hostname, port, pathname } = new URL(base);

function post(path, headers, body) {
  return new Promise((resolve, reject) => {
    const content = JSON.stringify(body);
    const head = { 'content-type': 'application/json', 'content-length': Buffer.byteLength(content), ...headers };
    const sent = request({ agent, hostname, port, path, method: 'POST', headers: head }, (response) => {
      let text = '';
      response.setEncoding('utf8');
      response.on('data', (chunk) => (text += chunk));
      response.on('end', () =>
        response.statusCode < 300 ? resolve(JSON.parse(text)) : reject(new Error(`${response.statusCode} ${text}`)),
      );
    });
    sent.once('error', reject);
    sent.end(content);
  });
}

/** Follows a visitor's stream; `heard` is called for every line that the bot says. */
function follow(key, heard) {
  return new Promise((resolve, reject) => {
    const headers = { authorization: `Bearer ${key}` };
    const sent = request(
      { hostname, port, path: `${pathname}/stream`, headers, agent: new Agent({ keepAlive: false }) },
      (response) => {
        response.setEncoding('utf8');
        let rest = '';
        response.on('data', (chunk) => {
          const events = (rest + chunk).split('\n\n');
          rest = events.pop();
          for (const event of events) if (event.includes('"who":"bot"')) heard();
        });
        resolve(() => sent.destroy());
      },
    );
    sent.once('error', reject);
    sent.on('error', () => undefined);
    sent.end();
  });
}

async function visitor() {
  if (kind === 'floor')
    return {
      say: (n) => post(pathname, {}, { id: `${process.pid}-${n}-${Math.random()}`, text: 'again' }),
      leave: () => undefined,
    };
  const { key } = await post(`${pathname}/open`, {}, { language: 'en' });
  let answered = () => undefined;
  const opened = new Promise((resolve) => (answered = resolve));
  const leave = await follow(key, () => answered());
  await opened;
  const headers = { authorization: `Bearer ${key}` };
  return {
    say: async (n) => {
      const answer = new Promise((resolve) => (answered = resolve));
      await post(`${pathname}/messages`, headers, { id: `m${n}-${Math.random().toString(36).slice(2)}`, text: 'again' });
      await answer;
    },
    leave,
  };
}

const visitors = await Promise.all(Array.from({ length: Number(atOnce) }, visitor));
const warmUntil = performance.now() + 1500;
const end = warmUntil + Number(seconds) * 1000;
const took = [];
let first = 0;
let last = 0;
await Promise.all(
  visitors.map(async ({ say }) => {
    for (let n = 0; performance.now() < end; n++) {
      const began = performance.now();
      await say(n);
      if (began < warmUntil) continue;
      if (first === 0) {
        first = began;
        process.send?.('measuring');
      }
      last = performance.now();
      took.push(last - began);
    }
  }),
);
process.send?.('measured');
visitors.forEach(({ leave }) => leave());
took.sort((a, b) => a - b);
const at = (share) => took[Math.min(took.length - 1, Math.floor(took.length * share))];
const { user, system } = process.cpuUsage();
process.stdout.write(
  `${JSON.stringify({ turns: took.length, loadCpu: (user + system) / 1000 / took.length, perSecond: (took.length / (last - first)) * 1000, p50: at(0.5), p99: at(0.99) })}\n`,
);
process.exit(0);
