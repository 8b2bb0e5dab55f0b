import { pageRequest } from '@primrose/core';
import { Refused } from '../base/refused.js';
import type { Drafts } from '../drafts/drafts.js';
import type { PerformModel } from '../outside/chat-completions.js';
import { createReach } from '../outside/reach.js';
import type { Secrets } from '../outside/secrets.js';
import type { ReadingDone } from '../store/contents.js';
import type { Db } from '../store/database.js';
import type { Seer } from './identity.js';
import type { Indexer } from './indexer.js';

/** Reads a PDF whose pages are pictures, page by page. Rejects with `document-unreadable`. */
export type SeePages = (bytes: Uint8Array, seer: Seer, stop: AbortSignal) => Promise<ReadingDone>;

/** So many pages are read so: each is a call of a model. */
const MOST_PAGES = 60;

const unreadable = (reason: string): Refused => new Refused('document-unreadable', { reason });

interface SeeingParts {
  readonly db: Db;
  readonly secrets: Secrets;
  readonly drafts: Drafts;
  readonly indexer: Indexer;
  readonly model: PerformModel;
}

/** Has pages that are pictures read by the profile that a base names. */
export function createSeeing({ db, secrets, drafts, indexer, model }: SeeingParts): SeePages {
  return async (bytes, { botId, profile }, stop) => {
    const { document } = await drafts.current(botId);
    const reach = createReach(db, secrets, botId, document);
    const texts: string[] = [];
    let [pages, tokens] = [1, 0];
    for (let page = 1; page <= Math.min(pages, MOST_PAGES); page++) {
      const shown = await indexer.do('pictures', { bytes, page });
      pages = shown.pages;
      const pictures = shown.pictures.map((p) => `data:image/png;base64,${Buffer.from(p).toString('base64')}`);
      const asked = pageRequest(document, profile, page, pictures);
      if (!asked) throw unreadable(`the bot has no model profile "${profile}" to read its pictures`);
      if (pictures.length === 0) {
        texts.push('');
        continue;
      }
      const came = await model(asked, await reach(asked.connection), undefined, stop);
      if (came.outcome === 'failed')
        throw unreadable(`page ${page} could not be read by the profile "${profile}": ${came.reason}`);
      tokens += (came.tokens?.in ?? 0) + (came.tokens?.out ?? 0);
      texts.push(came.text);
    }
    const left = pages > MOST_PAGES ? ` Only the first ${MOST_PAGES} of its ${pages} pages were read.` : '';
    const note = `Its pages are pictures; the profile "${profile}" has read them, for ${tokens} tokens. Look at its passages.${left}`;
    return indexer.do('seen', { texts, note });
  };
}
