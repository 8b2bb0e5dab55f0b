import { nextSince, pollCall, pollEveryMs, type HookProfile, type Value } from '@primrose/core';
import { addressIn } from '../../outside/call.js';
import { jsonColumn } from '../../store/columns.js';
import { askingLine } from '../asking.js';
import { NoLine, type Line, type LinePort } from '../channel.js';
import { KEPT_BODIES, takeReadings } from './readings.js';

/** A messenger may keep an asking open until there is something, so long at most. */
const POLL_MS = 60_000;

/** Asks a messenger for what is new, again and again. What came is taken before it is asked for what comes next. */
export async function pollMessenger(port: LinePort, profile: HookProfile): Promise<Line> {
  const stop = new AbortController();
  let since = port.cursor ?? '';
  /** One asking: how long to wait before the next, in ms, or why the line is over. */
  const ask = async (): Promise<number> => {
    const made = pollCall(profile, since, port.secrets);
    const [call] = made.ok ? made.calls : [];
    const url = call && addressIn(call.url);
    if (!made.ok || !call || !url) throw new NoLine(made.ok ? 'the address is none' : `${made.field}: ${made.reason}`);
    const asked = { url, method: 'GET', headers: call.headers, timeoutMs: POLL_MS, stop: stop.signal, changes: false };
    const came = await port.caller.call(asked, async (answer) => {
      return { status: answer.status, text: await answer.body.text(), after: Number(answer.headers['retry-after']) };
    });
    if (!('status' in came)) throw new NoLine(came.reason);
    if (came.status === 401 || came.status === 403)
      throw new NoLine(`the messenger does not accept the token any more (status ${came.status})`);
    if (came.status === 429) return Math.max(pollEveryMs(profile), (came.after > 0 ? came.after : 1) * 1000);
    if (came.status >= 300) throw new NoLine(`the messenger answered with status ${came.status}`);
    await take(came.text);
    return pollEveryMs(profile);
  };
  const take = async (text: string): Promise<void> => {
    let body: Value;
    try {
      body = jsonColumn.read(text);
    } catch {
      throw new NoLine('the messenger answered with something that is no JSON');
    }
    const payload = text.length > KEPT_BODIES ? null : text;
    await takeReadings(profile, body, payload, {
      event: (came) => port.take(came),
      sign: (sign) => port.sign(sign),
      unreadable: (about) => port.refuse(about, null, payload ?? undefined),
      secrets: port.secrets,
      until: port.clock.now().getTime() + POLL_MS,
    });
    const next = nextSince(profile, body, since);
    if (next === since) return;
    await port.moveCursor(next);
    since = next;
  };
  return askingLine(port.clock, ask, await ask(), stop);
}
