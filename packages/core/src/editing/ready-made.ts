import type { BotDocument, Flow } from '../document/schema.js';

/*
 * Flows that are ready to be taken into a bot: each is put there once, is edited like any other, and called wherever it is needed.
 */

export interface ReadyMade {
  readonly name: string;
  readonly about: string;
  /** The bot with the flow and what it needs; one that has a flow of this id stays as it is. */
  readonly into: (document: BotDocument) => BotDocument;
}

const KEPT_LETTERS = 4000;

const rememberExchange: Flow = {
  title: 'Remember this exchange',
  about: `Keeps what the visitor and the bot said last, with day and time: the last ${KEPT_LETTERS} characters. Edited here, it is otherwise everywhere.`,
  begin: 'keep',
  nodes: {
    keep: {
      kind: 'set',
      title: 'Keep the last words',
      sets: [
        {
          into: 'visitor.exchanges',
          to: `{{ ending(otherwise(visitor.exchanges, "") + "\\n" + clock.today + " " + clock.time + " visitor: " + otherwise(turn.text, "") + "\\n" + clock.today + " " + clock.time + " bot: " + otherwise(turn.reply, ""), ${KEPT_LETTERS}) }}`,
        },
      ],
      exits: { done: 'done' },
    },
    done: { kind: 'end', ends: 'flow' },
  },
};

/** By the id of the flow. */
export const readyMade: ReadonlyMap<string, ReadyMade> = new Map([
  [
    'remember-this-exchange',
    {
      name: 'remember this exchange',
      about: 'keep what was said last, with the time, in a variable of the visitor',
      into: (document) => {
        const { flows, variables = {} } = document;
        if (Object.hasOwn(flows, 'remember-this-exchange')) return document;
        const declared = { exchanges: { type: 'text', about: 'what was said last, for prompts' }, ...variables.visitor };
        return {
          ...document,
          variables: { ...variables, visitor: declared },
          flows: { ...flows, 'remember-this-exchange': rememberExchange },
        };
      },
    },
  ],
]);
