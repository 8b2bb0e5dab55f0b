import { knowledgeIndex, type BotDocument } from '@primrose/core';
import { ownDraft } from '../../bots/bots.js';
import { createReach } from '../../outside/reach.js';
import type { BotParts } from '../../bots/bots.js';
import type { PerformModel } from '../../outside/chat-completions.js';
import type { Secrets } from '../../outside/secrets.js';
import type { Listeners } from '../../understanding/listeners.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';

const TRY_MS = 20_000;
const TRY_TOKENS = 200;

function own<T>(table: Readonly<Record<string, T>> | undefined, key: string): T | undefined {
  return table && Object.hasOwn(table, key) ? table[key] : undefined;
}

interface TryingParts extends BotParts {
  readonly listeners: Listeners;
  readonly model: PerformModel;
  readonly secrets: Secrets;
}

/** Trying the parts of a draft one by one: what it understands, what it knows, whether a model answers. */
export function tryingHandlers(parts: TryingParts): Handlers {
  const { db, clock, listeners, model, secrets } = parts;
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
    askKnowledge: async ({ person, params, body }) => {
      const { revision, document } = await ownDraft(parts, person.id, params.bot);
      const base = own(document.knowledge, params.knowledge);
      if (!base) throw new HttpProblem('not-found', notThere('knowledge base', params.knowledge, document.knowledge));
      const index = knowledgeIndex(base);
      const { value, ms } = await timed(() => index.look(body.question, body.most ?? 5));
      return { revision, passages: index.passages.length, ms, found: value };
    },
    tryModel: async ({ person, params, body }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const profile = own(document.models, params.model);
      if (!profile) throw new HttpProblem('not-found', notThere('model profile', params.model, document.models));
      const reach = await createReach(db, secrets, bot.id, document)(profile.connection);
      const { value, ms } = await timed(() =>
        model(
          {
            type: 'model',
            path: 'try',
            profile: params.model,
            connection: profile.connection,
            model: profile.model,
            messages: [{ role: 'user', content: body.text }],
            ...(profile.temperature === undefined ? {} : { temperature: profile.temperature }),
            most: profile.most ?? TRY_TOKENS,
            timeoutMs: TRY_MS,
            estimate: 0,
            aloud: false,
          },
          reach,
        ),
      );
      if (value.outcome === 'failed') return { ok: false, text: null, reason: value.reason, ms, tokens: null };
      return { ok: true, text: value.text, reason: null, ms, tokens: value.tokens };
    },
  };
}

function notThere(what: string, name: string, table: BotDocument['models'] | BotDocument['knowledge']): string {
  const known = Object.keys(table ?? {});
  return `The draft has no ${what} "${name}".${known.length > 0 ? ` It has: ${known.join(', ')}.` : ''}`;
}
