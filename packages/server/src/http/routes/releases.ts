import type { FieldError } from '@primrose/contract';
import {
  compareDocuments,
  differenceSentence,
  missSentence,
  problemSentence,
  secretProblems,
  type BotDocument,
  type Value,
} from '@primrose/core';
import { assertReleasable, createRelease, makeLive, ownBot, ownRelease, rollBack, type WentLive } from '../../bots/bots.js';
import { storedDocument } from '../../bots/documents.js';
import { runColumn } from '../../store/columns.js';
import { type BotRow } from '../../store/bots.js';
import { keepRehearsalRun } from '../../store/rehearsal-runs.js';
import { type ReleaseRow, listReleases, openByRelease } from '../../store/releases.js';
import type { BotParts } from '../../bots/bots.js';
import { connectionOwner, type Secrets } from '../../outside/secrets.js';
import type { Rehearsing } from '../../rehearsals/rehearsing.js';
import { Refused } from '../../base/refused.js';
import { identitiesOf } from '../../knowledge/identity.js';
import type { Indexing } from '../../knowledge/indexing.js';
import { HttpProblem } from '../problem.js';
import { numberCursor, paged, PAGE, type Handlers } from '../route.js';
import { releaseView } from '../views.js';

/** Documents that are being read are waited for so long. */
const READ_MS = 20_000;

/** Ends the request where a document that is in use is not ready, or could not be read. */
async function assertRead(indexing: Indexing, botId: string, document: BotDocument): Promise<void> {
  const bases = Object.keys(document.knowledge ?? {});
  const used = bases
    .flatMap((base) => identitiesOf(botId, document, base))
    .filter((d) => !document.knowledge?.[d.base]?.documents[d.document]?.off);
  if (used.length === 0) return;
  await indexing.settled(used, READ_MS);
  const states = await indexing.states(used);
  const errors = used.flatMap(({ base, document: id, title }, i): FieldError[] => {
    const at = states[i];
    if (!at || at.state === 'ready') return [];
    const name = title ?? id;
    const detail = at.state === 'failed' ? `"${name}" cannot be read: ${at.problem ?? ''}.` : `"${name}" is not read yet.`;
    return [{ pointer: `/knowledge/${base}/documents/${id}`, detail, code: 'document-unready' }];
  });
  if (errors.length > 0) throw new Refused('documents-unready', { errors: errors.slice(0, MOST_ERRORS) });
}

const MOST_ERRORS = 50;

/** Releases: made, compared, made live, rolled back. */
export function releaseHandlers(
  parts: BotParts & { readonly rehearsing: Rehearsing; readonly secrets: Secrets; readonly indexing: Indexing },
): Handlers {
  const { db, drafts, rehearsing, secrets, indexing } = parts;

  const shown = async (personId: string, botId: string, release: ReleaseRow) => {
    const bot = await ownBot(db, personId, botId);
    return releaseView(release, bot.live_release_id, await openByRelease(db, botId));
  };
  const wentLive = async (personId: string, botId: string, { release, moved }: WentLive) => {
    return { release: await shown(personId, botId, release), moved };
  };
  /** A version as people name it, with its document. */
  const versionOf = async (bot: BotRow, version: string): Promise<{ name: string; document: BotDocument }> => {
    if (version === 'draft') return { name: 'the draft', document: (await drafts.current(bot.id)).document };
    if (version.startsWith('r')) {
      const revision = Number(version.slice(1));
      return { name: `revision ${revision}`, document: await drafts.at(bot.id, revision) };
    }
    const release = await ownRelease(db, bot, Number(version));
    return { name: `Release ${release.number}`, document: storedDocument(release.document) };
  };

  /** Runs the rehearsals of the draft. One that fails needs a reason, which is what comes back; without any, there is none to keep. */
  const rehearsed = async (bot: BotRow, wanted: number | undefined, reason: string | undefined) => {
    const { revision, document } = await drafts.current(bot.id);
    assertReleasable(bot, revision, document, wanted);
    await assertRead(indexing, bot.id, document);
    if (Object.keys(document.rehearsals ?? {}).length === 0) return undefined;
    const run = await rehearsing.run({ botId: bot.id, document }, revision);
    await keepRehearsalRun(db, bot.id, runColumn.write(run));
    if (run.failed === 0 || reason !== undefined) return run.failed === 0 ? undefined : reason;
    const failed = run.items.filter((i) => !i.passed);
    const words = failed.length === 1 ? 'One rehearsal fails' : `${failed.length} rehearsals fail`;
    throw new HttpProblem('rehearsals-failed', `${words}. Look at what differs, or say why it is to be released all the same.`, {
      errors: failed.map(({ rehearsal, turns, problem }): FieldError => {
        if (problem !== undefined) return { pointer: `/rehearsals/${rehearsal}`, detail: problem };
        const turn = turns.findIndex((t) => t.misses.length > 0);
        const [miss] = turns[turn]?.misses ?? [];
        return { pointer: `/rehearsals/${rehearsal}/turns/${turn}`, detail: miss ? missSentence(miss) : 'It fails.' };
      }),
    });
  };

  return {
    listReleases: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const [rows, open] = await Promise.all([
        listReleases(db, bot.id, limit + 1, numberCursor(query.after)),
        openByRelease(db, bot.id),
      ]);
      return paged(
        rows,
        limit,
        (r) => releaseView(r, bot.live_release_id, open),
        (r) => String(r.number),
      );
    },
    createRelease: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const { note, revision, live = true, move = false } = body;
      const despite = await rehearsed(bot, revision, body.despite);
      const made = await createRelease(parts, bot, { personId: person.id, note, revision, live, move, despite });
      const kept = await secrets.names(connectionOwner(bot.id));
      const warnings = secretProblems((await drafts.current(bot.id)).document, kept).map(problemSentence);
      return { ...(await shown(person.id, bot.id, made)), warnings };
    },
    getRelease: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const row = await ownRelease(db, bot, params.release);
      return { ...(await shown(person.id, bot.id, row)), document: storedDocument(row.document) };
    },
    makeLive: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const wanted = { personId: person.id, move: body.move ?? false };
      return wentLive(person.id, bot.id, await makeLive(parts, bot, params.release, wanted));
    },
    rollBack: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      return wentLive(person.id, bot.id, await rollBack(parts, bot, { personId: person.id, move: body.move ?? false }));
    },
    compareVersions: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const [from, to] = [await versionOf(bot, query.from), await versionOf(bot, query.to)];
      const items = compareDocuments(from.document, to.document).map((d) => ({
        difference: d as unknown as Record<string, Value>,
        sentence: differenceSentence(d),
      }));
      return { from: from.name, to: to.name, items };
    },
  };
}
