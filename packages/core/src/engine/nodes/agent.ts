import type { Left, Hearing, Outcome } from '../compiled.js';
import { choiceIn, wordsIn, type IncomingEvent } from '../event.js';
import { defineKind, wordUses, type Use } from '../kind.js';
import { agentChecks, agentRefers, changesOutside } from '../agent/checks.js';
import { NO, readFirstAnswer, YES } from '../agent/asking-first.js';
import { answer as tell, askFirst, closeFirst } from '../agent/calling.js';
import { agentSchema, toolName, type AgentNode } from '../agent/declared.js';
import { memoOf, memoValue, type HeardWords, type OpenCall } from '../agent/memo.js';
import { readyAgent, type ReadyAgent } from '../agent/ready.js';
import { AgentAtWork } from '../agent/work-loop.js';
import { toolTexts, type ReadyTool } from '../agent/tools.js';
import { partUses } from '../prompt/parts.js';
import { recall, recallsOf, recallUses } from '../prompt/recall.js';
import { waysToPart } from '../../understanding/parting.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { valueUses } from './set.js';

/** How sure an agent is of words that it stays for: an intent that is surer does it better, and is served first. */
const STAYS_FOR = 0.8;
/** The same of words with several wishes in them: an intent would see to one of them only. */
const SEVERAL_THINGS = 0.98;
/** The same of words that neither agree nor refuse, where it asked whether it may. */
const ASKED_FIRST = 0.75;

/** A model that chooses among tools until its task is done. */
export const agent = defineKind<AgentNode>({
  kind: 'agent',
  band: 'outside',
  about: 'let a model choose among tools until a task is done',
  schema: agentSchema,
  waits: (node) => node.stays === true,
  holdsWords: true,
  blank: () => ({ uses: '', parts: [{ part: 'who you are', says: '' }], tools: [] }),
  exits: () => [
    { name: 'done', about: 'its task is done', way: 'usual' },
    { name: 'other', about: 'the visitor wants something else', way: 'aside' },
    { name: 'over-limit', about: 'it came to a limit', way: 'aside' },
    { name: 'failed', about: 'no model answered, or nothing that fits', way: 'aside' },
  ],
  prose: (node) => ({ text: node.parts.find((p) => p.says.trim() !== '' && p.off !== true)?.says ?? 'an agent' }),
  hangs: (node) => (node.tools ?? []).flatMap((t) => (t.off ? [] : [toolName(t)])),
  uses: (node): Use[] => [
    ...partUses(node.parts),
    ...recallUses(node.recall),
    ...(node.pictures === undefined ? [] : [{ field: '/pictures', as: 'template', text: node.pictures } as const]),
    ...(node.tools ?? []).flatMap((t, i) =>
      Object.entries(t.given ?? {}).flatMap(([key, v]) => valueUses(v, `/tools/${i}/given/${key}`)),
    ),
    ...toolTexts(node.tools ?? []).flatMap(({ field, text }) => wordUses(text, field).map((u) => ({ ...u, locals: ['call'] }))),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
  ],
  recalls: recallsOf,
  refers: agentRefers,
  changes: (node, document) =>
    (node.tools ?? []).some((t) => t.off !== true && t.confirm === false && changesOutside(t, document)),
  types: (node): Record<string, string> => (node.into === undefined ? {} : { [node.into]: node.gives ? 'object' : 'text' }),
  checks: agentChecks,
  prepare: (node, compiler) => {
    const ready = readyAgent(node, compiler);
    return {
      talk: { corrections: false, 'follow-ups': false, wishes: false, misses: false },
      run: function* (turn): Walking<Outcome> {
        const work = new AgentAtWork(turn, ready);
        if (turn.memo === undefined) {
          const recalled = yield* recall(turn, ready.recall);
          return work.begin(recalled) ? yield* work.work() : work.awaitsWish();
        }
        return yield* goOn(ready, work);
      },
      hear: (turn, event): Hearing => hear(turn, ready, event),
      back: function* (turn, left): Walking<Outcome> {
        const work = new AgentAtWork(turn, ready);
        cameBack(work, ready, left);
        return yield* work.work();
      },
    };
  },
});

/** It comes to itself again: with what it has heard, after a rest, or where something came between. */
function* goOn(ready: ReadyAgent, work: AgentAtWork): Walking<Outcome> {
  const { heard, waits, open } = work.memo;
  const [call] = open;
  const tool = call && ready.byName.get(call.tool);
  if (heard) {
    const { heard: _seen, ...memo } = work.memo;
    work.memo = memo;
    if (heard.as !== 'words' && call && tool) return yield* answered(work, heard, { ready, call, tool });
    work.hears(heard.text, yield* recall(work.turn, ready.recall));
    return yield* work.work();
  }
  if (waits === 'confirmation' && call && tool) return kept(work, askFirst(work, tool, call));
  if (waits === 'visitor') return { wait: { tries: 0 } };
  // A flow that was called and is gone, after an edit: the model is told so.
  if (waits === 'flow') closeFirst(work, { runs: tool?.runs ?? '', outcome: 'failed', reason: 'it did not come to its end' });
  return yield* work.work();
}

function kept(work: AgentAtWork, outcome: Outcome): Outcome {
  work.keep();
  return outcome;
}

/** What a flow that was called gives, for the model. */
function cameBack(work: AgentAtWork, ready: ReadyAgent, left: Left): void {
  const [call] = work.memo.open;
  const tool = call && ready.byName.get(call.tool);
  const flow = tool && 'flow' in tool.declared ? tool.declared.flow : undefined;
  const gives = Object.keys(ready.document.flows[flow ?? '']?.gives ?? {});
  const gave = Object.fromEntries(gives.map((name) => [name, left.values[name] ?? null]));
  const runs = tool?.runs ?? call?.tool ?? '';
  if (left.failed) closeFirst(work, { runs, outcome: 'failed', reason: 'the flow failed', gave });
  else closeFirst(work, { runs, outcome: 'done', gave: gives.length > 0 ? gave : null });
}

/** How an answer is called in the sheet. */
const AS_WORDS: Readonly<Record<HeardWords['as'], string>> = {
  words: 'for the agent',
  yes: 'a yes',
  no: 'a no',
  corrected: 'another value',
  otherwise: 'neither yes nor no',
};

/** What a message is to an agent that waits: an answer to what it asked, or something more. It is noted, and the agent runs. */
function hear(turn: Turn, ready: ReadyAgent, event: IncomingEvent): Hearing {
  const memo = memoOf(turn);
  const text = wordsIn(event);
  const note = (heard: HeardWords): Outcome => {
    turn.keep(memoValue({ ...memo, heard }));
    return { again: AS_WORDS[heard.as] };
  };
  const missed = (): Outcome => ({ again: 'said nothing' });
  const [call] = memo.open;
  if (memo.waits !== 'confirmation' || !call) {
    if (text.trim() === '') return { missed };
    const sure = waysToPart(text, turn.language).length > 0 ? SEVERAL_THINGS : STAYS_FOR;
    return { reads: { sure, as: AS_WORDS.words, own: true, take: () => note({ text, as: 'words' }) }, missed };
  }
  const pressed = choiceIn(event);
  if (pressed === YES || pressed === NO) return note({ text, as: pressed === YES ? 'yes' : 'no' });
  if (text.trim() === '') return { missed };
  const read = readFirstAnswer(turn, text, ready.byName.get(call.tool), call);
  const sure = { yes: 1, no: 1, corrected: 0.95, otherwise: ASKED_FIRST }[read.as];
  return { reads: { sure, as: AS_WORDS[read.as], own: true, take: () => note({ text, ...read }) }, missed };
}

interface Asked {
  readonly ready: ReadyAgent;
  readonly call: OpenCall;
  readonly tool: ReadyTool;
}

/** Goes on with what the visitor said to the question whether it may. */
function* answered(work: AgentAtWork, heard: HeardWords, { ready, call, tool }: Asked): Walking<Outcome> {
  const rest = work.memo.open.slice(1);
  work.anew();
  const answer = heard.as === 'yes' || heard.as === 'no' ? heard.as : 'otherwise';
  work.turn.record.work({ did: 'asked-first', call: call.id, tool: tool.name, says: '', answer });
  if (heard.as === 'corrected') {
    const other = { ...call, given: heard.given ?? call.given };
    work.memo = { ...work.memo, open: [other, ...rest] };
    return kept(work, askFirst(work, tool, other));
  }
  if (heard.as === 'yes') {
    work.memo = { ...work.memo, open: [{ ...call, confirm: false }, ...rest], waits: 'nothing' };
    return yield* work.work();
  }
  closeFirst(work, { runs: tool.runs, outcome: heard.as === 'no' ? 'declined' : 'answered-otherwise' });
  if (heard.as === 'otherwise') {
    for (const other of rest) {
      const runs = ready.byName.get(other.tool)?.runs ?? other.tool;
      const reason = 'the visitor has to be asked again';
      tell(work, { id: other.id, name: other.tool }, { runs, given: other.given, outcome: 'not-run', reason });
    }
    work.memo = { ...work.memo, open: [] };
    work.addsWords(heard.text);
  }
  return yield* work.work();
}
