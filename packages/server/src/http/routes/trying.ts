import { profileSettings, type BotDocument, type ModelEffect } from '@primrose/core';
import { own } from '../../base/own.js';
import { Refused } from '../../base/refused.js';
import { ownDraft } from '../../bots/bots.js';
import { createReach } from '../../outside/reach.js';
import type { BotParts } from '../../bots/bots.js';
import type { PerformModel } from '../../outside/chat-completions.js';
import type { ListTools } from '../../outside/mcp.js';
import type { Probe } from '../../outside/probe.js';
import type { Secrets } from '../../outside/secrets.js';
import type { Listeners } from '../../understanding/listeners.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';

const TRY_MS = 20_000;
const TRY_TOKENS = 200;

interface TryingParts extends BotParts {
  readonly listeners: Listeners;
  readonly model: PerformModel;
  readonly probe: Probe;
  readonly listTools: ListTools;
  readonly secrets: Secrets;
}

/** Trying the parts of a draft one by one: what it understands, what it knows, whether a model answers. */
export function tryingHandlers(parts: TryingParts): Handlers {
  const { db, clock, listeners, model, probe, listTools, secrets } = parts;
  const timed = async <T>(work: () => T | Promise<T>): Promise<{ value: T; ms: number }> => {
    const begun = clock.tick();
    const value = await work();
    return { value, ms: Math.round((clock.tick() - begun) * 100) / 100 };
  };
  return {
    understand: async ({ person, params, body }) => {
      const { bot, revision, document } = await ownDraft(parts, person.id, params.bot);
      const language = body.language ?? document.languages[0] ?? 'en';
      const listener = await listeners.of(document, bot.id);
      const setting = { at: clock.now().toISOString(), zone: document.zone, language };
      const { value, ms } = await timed(async () => {
        const asks = listener.asks(body.text, setting);
        const vectors = asks.length > 0 ? await listeners.encode?.(asks) : undefined;
        return listener.hear(body.text, setting, vectors);
      });
      return { revision, language, ms, understood: value };
    },
    tryModel: async ({ person, params, body }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const profile = own(document.models, params.model);
      if (!profile) throw new HttpProblem('not-found', notThere('model profile', params.model, document.models));
      const reach = await createReach(db, secrets, bot.id, document)(profile.connection);
      const settings = profileSettings(params.model, profile);
      const asked: ModelEffect =
        'request' in body
          ? // A step of an agent is run alone as it was written down, with the settings that the profile has now.
            { ...body.request, ...settings, timeoutMs: TRY_MS, aloud: false }
          : {
              type: 'model',
              path: 'try',
              messages: [{ role: 'user', content: body.text }],
              ...settings,
              most: profile.most ?? TRY_TOKENS,
              timeoutMs: TRY_MS,
              estimate: 0,
              aloud: false,
            };
      const { value, ms } = await timed(() => model(asked, reach));
      if (value.outcome === 'failed') return { ok: false, text: null, calls: [], reason: value.reason, ms, tokens: null };
      const calls = (value.calls ?? []).map((c) => ({ ...c }));
      return { ok: true, text: value.text, calls, reason: null, ms, tokens: value.tokens };
    },
    testConnection: async ({ person, params }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      if (!own(document.connections, params.connection))
        throw new HttpProblem('not-found', `The draft has no connection "${params.connection}".`);
      return probe(await createReach(db, secrets, bot.id, document)(params.connection));
    },
    listTools: async ({ person, params }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      if (!own(document.connections, params.connection))
        throw new HttpProblem('not-found', `The draft has no connection "${params.connection}".`);
      const listed = await listTools(await createReach(db, secrets, bot.id, document)(params.connection));
      if (!listed.ok) throw new Refused('no-tools-listed', { reason: listed.reason });
      return { tools: { ...listed.tools } };
    },
  };
}

function notThere(what: string, name: string, table: BotDocument['models']): string {
  const known = Object.keys(table ?? {});
  return `The draft has no ${what} "${name}".${known.length > 0 ? ` It has: ${known.join(', ')}.` : ''}`;
}
