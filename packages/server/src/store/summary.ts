import type { BotDocument } from '@primrose/core';

export function summary(document: BotDocument) {
  const flows = Object.values(document.flows);
  const nodes = flows.reduce((sum, f) => sum + Object.keys(f.nodes).length, 0);
  return { bot: document.bot, name: document.name, about: document.about ?? null, flows: flows.length, nodes };
}
