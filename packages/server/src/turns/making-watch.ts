import { keepsWords, type BotDocument, type ModelEffect, type Step, type Written } from '@primrose/core';
import type { OnWords } from '../outside/chat-completions.js';
import type { Made } from './wakes.js';

/** Tells what the nodes of a page's flow do while they do it: it knows which node stands at which place of the turn. */
export class MakingWatch {
  readonly #document: BotDocument;
  readonly #tell: (made: Made) => void;
  readonly #nodes = new Map<string, { readonly flow: string; readonly node: string }>();

  constructor(document: BotDocument, tell: (made: Made) => void) {
    this.#document = document;
    this.#tell = tell;
  }

  observe(place: string, phase: 'begins' | 'ends', { flow, node }: Pick<Step, 'flow' | 'node'>): void {
    if (phase === 'ends') return;
    this.#nodes.set(place, { flow, node });
    this.#tell({ flow, node });
  }

  readonly wrote = ({ flow, node, target, value }: Written): void => this.#tell({ flow, node, written: { target, value } });

  /** Who is told what a model writes at a node that keeps its words as they are. */
  readonly wordsOf = ({ path, schema }: ModelEffect): OnWords | undefined => {
    const at = this.#nodes.get(path.slice(0, path.lastIndexOf('/')));
    const node = at && this.#document.flows[at.flow]?.nodes[at.node];
    if (!at || !node || schema !== undefined || !keepsWords(node)) return undefined;
    return (words) => this.#tell({ ...at, words });
  };
}
