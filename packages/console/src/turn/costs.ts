import { callsOf, freeId, idOf, isEventSample, type BotDocument, type Performed, type TurnSheet } from '@primrose/core';

/** The tokens of a turn's model calls; an estimate where the service did not count. */
export function tokensOf(effects: readonly Performed[]): number {
  return callsOf('model', effects).reduce((sum, { request, result }) => {
    const counted = result.outcome === 'written' ? result.tokens : null;
    return sum + (counted ? counted.in + counted.out : request.estimate);
  }, 0);
}

/** What model calls cost under the profiles' prices, by currency; empty where nothing has a price. */
export function costOf(effects: readonly Performed[], models: BotDocument['models']): string {
  const sums = new Map<string, number>();
  for (const { request, result } of callsOf('model', effects)) {
    const price = models?.[request.profile]?.price;
    const tokens = result.outcome === 'written' ? result.tokens : null;
    if (!price || !tokens) continue;
    const { currency = '' } = price;
    sums.set(currency, (sums.get(currency) ?? 0) + (tokens.in * price.in + tokens.out * price.out) / 1e6);
  }
  return [...sums].map(([currency, cost]) => `${cost.toFixed(6).replace(/0+$/, '0')} ${currency}`.trimEnd()).join(', ');
}

/** The document with what came in kept as an event under a free name; it can be said again. */
export function withKeptEvent(document: BotDocument, { heard }: TurnSheet, name: string): BotDocument {
  if (heard.type !== 'message') return document;
  const kept = {
    ...(heard.text === undefined ? {} : { says: heard.text }),
    ...(heard.choice === undefined ? {} : { presses: heard.choice }),
    ...(heard.channel === 'simulator' ? {} : { channel: heard.channel }),
    ...(heard.name === undefined ? {} : { name: heard.name }),
    ...(heard.pictures === undefined ? {} : { pictures: [...heard.pictures] }),
    ...(heard.files === undefined ? {} : { files: heard.files.map((f) => ({ ...f })) }),
  };
  if (!isEventSample(kept)) return document;
  const id = freeId(document.samples ?? {}, idOf(name) || 'event');
  return { ...document, samples: { ...document.samples, [id]: kept } };
}
