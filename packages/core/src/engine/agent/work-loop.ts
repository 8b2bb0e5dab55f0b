import type { Value } from '../../document/shapes.js';
import { durationMs } from '../../document/shapes.js';
import { readModelAnswer } from '../model-answer.js';
import type { Outcome } from '../compiled.js';
import { wordsIn } from '../event.js';
import type { FailureCode } from '../effects/effect.js';
import {
  onTranscript,
  type ModelEffect,
  type ModelMessage,
  type ModelResult,
  type PromptPart,
  type ToolCall,
} from '../effects/model.js';
import { failureSays } from '../failure-words.js';
import { askModel, profileSettings, roomOf, timeoutOf, tooLong, type Asked } from '../prompt/ask-model.js';
import { joined, momentPart, picturesIn, placesOf, recalledPlaces, writtenParts, type WrittenPart } from '../prompt/parts.js';
import { KNOWN, SAID_BEFORE, type Recalled } from '../prompt/recall.js';
import { fitMessages, toolTokens } from '../prompt/trim.js';
import { plainText, readMarkdown } from '../../text/markdown.js';
import { estimateTokens } from '../../text/tokens.js';
import { NOTHING_SPENT, type Spending } from '../effects/spent.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';
import type { ModelProfile } from '../../document/schema.js';
import { saying } from './asking-first.js';
import { awaitEffects, Deadline } from './awaiting.js';
import { settleOpen, takeCalls, type Desk, type Settled } from './calling.js';
import { fenced, HOUSE_RULES, unfenced } from './fence.js';
import { costOf, countsBefore, DEFAULT_TIME_MS, plus, reached, type SpentSoFar } from './limits.js';
import { chargeCallers, memoOf, memoValue, newMemo, nextTurn, type Memo } from './memo.js';
import type { ReadyAgent } from './ready.js';
import { checked, claimItems, correctionFor, groundsOf, NOTE, plainAnswer, sieveOf } from './speaking.js';
import type { WorkItem } from './work.js';

/*
 * The work of an agent: it asks its model, does what the model asks for, and asks again, until there is an answer, a limit is
 * reached, or somebody has to be waited for.
 */

/** After so many steps a turn rests: what was done is stored, and goes on in a part of its own. */
const REST_EVERY = 10;
/** So many turns of the talk are shown where nobody says. */
const DEFAULT_RECALL = 10;

/** What one step came to: an outcome of the node, or calls to go on from. */
type Stepped = { readonly outcome: Outcome } | { readonly settled: Settled };

export class AgentAtWork implements Desk {
  readonly turn: Turn;
  readonly agent: ReadyAgent;
  readonly deadline: Deadline;
  memo: Memo;
  readonly #instructions: readonly WrittenPart[];
  readonly #system: string;
  readonly #inputs: readonly WrittenPart[];
  #before: Pick<SpentSoFar, 'visitor' | 'day'> | undefined;

  constructor(turn: Turn, agent: ReadyAgent) {
    const { node } = agent;
    this.turn = turn;
    this.agent = agent;
    this.memo = memoOf(turn);
    const { instructions, inputs } = writtenParts(turn, agent.parts);
    const told = node.clock === false ? [] : [momentPart(turn)];
    this.#instructions = [...instructions, ...told, { part: 'the rules of the house', text: HOUSE_RULES }];
    this.#system = joined(this.#instructions);
    this.#inputs = inputs;
    this.deadline = new Deadline(turn.record.place, this.#timeLeft());
  }

  /** What is left of its time: a turn that rested has used some. */
  #timeLeft(): number {
    const { limits } = this.agent.node;
    const all = limits?.time === undefined ? DEFAULT_TIME_MS : durationMs(limits.time);
    const { incoming, event } = this.turn;
    const gone = incoming.type === 'go-on' ? Date.parse(incoming.at) - Date.parse(event.at) : 0;
    return Math.max(1, all - gone);
  }

  /** Nobody has said anything yet: who stays waits for that. */
  awaitsWish(): Outcome {
    this.memo = { ...newMemo(), waits: 'visitor' };
    return this.#pauses({ wait: { tries: 0 } });
  }

  /** The first time: what it was called with is its task. False where there is none, and it stays for one. */
  begin(past: Recalled): boolean {
    const wishes = this.#inputs.map((p) => p.text.replace(/^# .*\n/, '').trim());
    if (this.agent.node.stays === true && wishes.every((w) => w === '')) return false;
    const content = this.#inputs.map((p) => fenced(p.part, p.text.replace(/^# .*\n/, ''))).join('\n\n');
    const { pictures } = this.agent;
    const shown = pictures ? picturesIn(this.turn.value('/pictures', { template: pictures }, undefined, true)) : undefined;
    if (shown && shown.left > 0) this.turn.problem('pictures-left', { count: shown.left });
    const with_ = shown && shown.pictures.length > 0 ? { pictures: shown.pictures } : {};
    const first: ModelMessage = { role: 'user', content: this.#withKnown(past, content), ...with_ };
    this.memo = { ...newMemo(), ...kept(past), transcript: [...past.said, first], recalled: past.said.length };
    return true;
  }

  /** The visitor has said something more. */
  hears(text: string, past: Recalled): void {
    const { recall } = this.agent.node;
    const memo = nextTurn(this.memo, recall?.turns ?? DEFAULT_RECALL);
    const said: ModelMessage = { role: 'user', content: this.#withKnown(past, fenced('the visitor', text)) };
    this.memo = { ...memo, ...kept(past), transcript: [...memo.transcript, said], waits: 'nothing' };
  }

  /** What is said, behind what is known where that is not told yet. */
  #withKnown({ known }: Recalled, content: string): string {
    return known === '' || known === this.memo.known ? content : `${known}\n\n${content}`;
  }

  /** What was asked in a turn before is answered in this one: it may take as much as any turn. */
  anew(): void {
    const { transcript, open } = this.memo;
    // The exchange that is under way is one: nothing of it goes before the rest.
    const recalled = Math.max(
      0,
      transcript.findLastIndex((m) => m.role === 'user'),
    );
    this.memo = { ...nextTurn(this.memo, 0), transcript, recalled, open };
  }

  /** What the visitor said instead of an answer. */
  addsWords(text: string): void {
    this.#say({ role: 'user', content: fenced('the visitor', text) });
  }

  keep(): void {
    this.turn.keep(memoValue(this.memo));
  }

  /** Keeps what it was at, and comes to something that goes on later. */
  #pauses(outcome: Outcome): Outcome {
    this.keep();
    return outcome;
  }

  #note(item: WorkItem): void {
    this.turn.record.work(item);
  }

  /** Works until it comes to something. `settled` is what open calls have come to. */
  *work(settled?: Settled): Walking<Outcome> {
    let next = settled ?? (yield* settleOpen(this));
    for (;;) {
      const ended = next && this.#ended(next);
      if (ended) return ended;
      const over = yield* this.#overLimit();
      if (over) return over;
      if (
        this.memo.asked > 0 &&
        this.memo.asked % REST_EVERY === 0 &&
        this.turn.mayRest(true) &&
        this.memo.rested !== this.memo.asked
      ) {
        this.memo = { ...this.memo, rested: this.memo.asked };
        return this.#pauses({ rests: true });
      }
      const came = yield* this.#step();
      if ('outcome' in came) return came.outcome;
      next = came.settled;
    }
  }

  /** What settled calls end with; undefined where the work goes on. */
  #ended(settled: NonNullable<Settled>): Outcome | undefined {
    if ('outcome' in settled) return this.#pauses(settled.outcome);
    if ('finish' in settled) return this.#finish(settled.finish);
    if ('failed' in settled) return this.#failed(settled.failed, 'bad-answer');
    return this.#stops({ did: 'stopped', limit: settled.stopped, of: 'turn', most: settled.most, used: settled.used });
  }

  /** Asks the model once, and takes what it wants. */
  *#step(): Walking<Stepped> {
    const { turn, agent } = this;
    const aloud = agent.node.gives === undefined;
    if (aloud) turn.sieve = sieveOf(turn, agent, this.memo, this.#system);
    const asked = yield* askModel(
      turn,
      agent.node.uses,
      (id, of, instead) => this.#request(id, of, instead, aloud),
      (_turn, effect) => this.#wait(effect),
    );
    turn.sieve = undefined;
    const { result, effect, profile } = asked;
    if (!result) return { outcome: this.#stops(this.#late()) };
    this.#spends(profile, result, effect);
    if (result.outcome === 'failed') return { outcome: this.#failed(result.reason, result.code) };
    if (result.calls === undefined || result.calls.length === 0) return this.#answered(this.#inWords(result.text.trim()));
    const calls = this.#named(result.calls);
    this.#say({ role: 'assistant', content: result.text, calls });
    return { settled: yield* takeCalls(this, calls) };
  }

  *#wait(effect: ModelEffect): Walking<ModelResult | undefined> {
    const [came] = yield* awaitEffects(this.turn, this.deadline, { effects: [effect], mayGiveUp: true });
    return came as ModelResult | undefined;
  }

  #late(): WorkItem {
    return { did: 'stopped', limit: 'time', of: 'turn', most: this.deadline.ms, used: this.deadline.ms };
  }

  #request(id: string, of: ModelProfile, instead: string | undefined, aloud: boolean): Asked {
    const { turn, agent, memo } = this;
    const tools = agent.wire;
    const system: ModelMessage = { role: 'system', content: this.#system };
    const fitted = fitMessages([system, ...memo.transcript], {
      most: roomOf(of),
      besides: toolTokens(tools),
      recalled: memo.recalled,
    });
    if (!fitted.fits) return { refused: tooLong(id, fitted.tokens, of) };
    // Of a transcript that was not cut the part that stood in the request before is stored there, and referred to here.
    const sent = fitted.trimmed.length === 0 && memo.sent > 0 ? memo.sent + 1 : 0;
    const effect: ModelEffect = {
      type: 'model',
      path: turn.effectPath(),
      ...profileSettings(id, of),
      messages: fitted.messages.slice(sent),
      ...(tools.length > 0 ? { tools } : {}),
      timeoutMs: Math.min(timeoutOf(agent.node, of), this.deadline.ms),
      estimate: fitted.tokens,
      aloud,
      ...(sent === 0 ? { parts: [...placesOf(this.#instructions, 0), ...this.#recalledPlaces(fitted.messages)] } : {}),
      ...(fitted.trimmed.length > 0 ? { trimmed: fitted.trimmed } : {}),
      ...(instead === undefined ? {} : { instead }),
    };
    return { effect: onTranscript(effect, fitted.messages.slice(0, sent)) };
  }

  /** Where what was recalled stands in the first request of a turn. */
  #recalledPlaces(messages: readonly ModelMessage[]): PromptPart[] {
    const { known = '' } = this.memo;
    const at = known === '' ? -1 : messages.findIndex((m) => m.role === 'user' && m.content.startsWith(known));
    const last = messages.findLastIndex((m) => m.role === 'user');
    return [
      ...recalledPlaces(messages.slice(1, Math.max(1, last)), 1, SAID_BEFORE),
      ...(at < 0 ? [] : [{ part: KNOWN, message: at, from: 0, to: known.length, tokens: estimateTokens(known) }]),
    ];
  }

  #spends(profile: string, result: ModelResult, effect: ModelEffect | undefined): void {
    const { priced, ...cost } = costOf(this.agent.document, profile, result, effect?.estimate ?? 0);
    const { transcript, asked } = this.memo;
    this.memo = { ...this.memo, used: plus(this.memo.used, cost), sent: transcript.length, asked: asked + 1 };
    this.turn.work.asked++;
    this.turn.work.spends(this.#place, cost);
    chargeCallers(this.turn, cost);
    const wants = result.outcome === 'written' ? (result.calls ?? []).map((c) => c.name.slice(0, 100)).slice(0, 20) : [];
    if (effect)
      this.#note({
        did: 'asked',
        effect: effect.path,
        profile,
        tokens: result.outcome === 'written' ? result.tokens : null,
        ...(priced ? { money: cost.money } : {}),
        ...(wants.length > 0 ? { wants } : {}),
      });
  }

  /** What it has spent in this turn. */
  get #spentHere(): Spending {
    return this.turn.work.spentHere[this.#place] ?? NOTHING_SPENT;
  }

  get #place(): string {
    const { frame } = this.turn;
    return `${frame?.flow ?? ''}/${frame?.node ?? ''}`;
  }

  #say(message: ModelMessage): void {
    this.memo = { ...this.memo, transcript: [...this.memo.transcript, message] };
  }

  /** Calls with ids of their own: services leave them out, or give the same twice. */
  #named(calls: readonly ToolCall[]): ToolCall[] {
    const taken = new Set(this.memo.transcript.flatMap((m) => (m.role === 'assistant' ? (m.calls ?? []).map((c) => c.id) : [])));
    return calls.map((call, i) => {
      const id = call.id === '' || call.id.length > 100 || taken.has(call.id) ? `call-${this.memo.asked}-${i + 1}` : call.id;
      taken.add(id);
      return { ...call, id };
    });
  }

  /** An answer without marks, where the designer wants none. */
  #inWords(text: string): string {
    return this.agent.node.plain === true && this.agent.node.gives === undefined ? plainText(readMarkdown(text)).trim() : text;
  }

  /** It answered in words: they are checked, and said, sent back once, or corrected. */
  #answered(text: string): Stepped {
    const { turn, agent } = this;
    const { gives } = agent.node;
    if (gives) return this.#handsIn(text, gives);
    if (text === '') return { outcome: this.#failed('its answer is empty', 'bad-answer') };
    const found = checked(text, groundsOf(turn, agent, this.memo, this.#system));
    this.#say({ role: 'assistant', content: text });
    const claims = claimItems(found.false);
    const unsaid = [...found.unsaid];
    if (claims.length > 0 && !this.memo.corrected) {
      this.#note({ did: 'checked', claims, unsaid, then: 'asked-again', words: text.slice(0, LONGEST_WORDS) });
      this.#say({ role: 'user', content: correctionFor(found.false) });
      this.memo = { ...this.memo, corrected: true };
      return { settled: undefined };
    }
    const corrected = claims.length > 0;
    const says = corrected ? plainAnswer(turn, text, found.false) : text;
    this.#note({
      did: 'checked',
      claims,
      unsaid,
      then: corrected ? 'corrected' : 'said',
      ...(corrected ? { words: text.slice(0, LONGEST_WORDS) } : {}),
    });
    if (corrected) this.#say({ role: 'assistant', content: says });
    turn.say(says);
    return { outcome: this.#said(says) };
  }

  /** What it comes to once its answer is said. */
  #said(says: string): Outcome {
    const { node } = this.agent;
    const { key, transcript } = this.memo;
    const asked = transcript.findLast((m) => m.role === 'user')?.content ?? '';
    if (key) this.turn.memory.exchanged(wordsIn(this.turn.event) || unfenced(asked), says, key);
    if (node.into !== undefined) this.turn.write(node.into, says);
    if (node.stays !== true) return { exit: 'done' };
    this.memo = { ...this.memo, waits: 'visitor' };
    return this.#pauses({ wait: { tries: 0 } });
  }

  /** It was to hand in fields and wrote a text: they may stand in it; else it is told once how. */
  #handsIn(text: string, gives: NonNullable<ReadyAgent['node']['gives']>): Stepped {
    const read = readModelAnswer(text, { gives, document: this.agent.document }, this.turn.language);
    if (read.ok) return { outcome: this.#handsOn(read.value, 'done') };
    const staying = this.agent.node.stays === true && text !== '';
    // Who stays may ask the visitor for what is missing.
    if (staying) return this.#asksOn(text);
    if (this.memo.nudged) {
      this.turn.problem('model-answer', { model: this.agent.node.uses, field: read.field, reason: read.reason });
      return { outcome: this.#failed('its answer is not what was asked for', 'bad-answer') };
    }
    this.#say({ role: 'assistant', content: text });
    this.#say({ role: 'user', content: `${NOTE} hand in your result by calling the tool finish.` });
    this.memo = { ...this.memo, nudged: true };
    return { settled: undefined };
  }

  #asksOn(text: string): Stepped {
    const found = checked(text, groundsOf(this.turn, this.agent, this.memo, this.#system));
    const says = found.false.length > 0 ? plainAnswer(this.turn, text, found.false) : text;
    this.#note({
      did: 'checked',
      claims: claimItems(found.false),
      unsaid: [...found.unsaid],
      then: found.false.length > 0 ? 'corrected' : 'said',
    });
    this.#say({ role: 'assistant', content: says });
    this.turn.say(says);
    this.memo = { ...this.memo, waits: 'visitor' };
    return { outcome: this.#pauses({ wait: { tries: 0 } }) };
  }

  #finish({ how, ...values }: Readonly<Record<string, Value>>): Outcome {
    const last = this.memo.transcript.findLast((m) => m.role === 'assistant');
    const text = last?.content.trim() ?? '';
    if (text !== '' && this.agent.node.gives === undefined) {
      const found = checked(text, groundsOf(this.turn, this.agent, this.memo, this.#system));
      this.#note({
        did: 'checked',
        claims: claimItems(found.false),
        unsaid: [...found.unsaid],
        then: found.false.length > 0 ? 'corrected' : 'said',
      });
      this.turn.say(found.false.length > 0 ? plainAnswer(this.turn, text, found.false) : text);
    }
    return this.#handsOn(values, how === 'other' ? 'other' : 'done');
  }

  #handsOn(values: Value, exit: 'done' | 'other'): Outcome {
    const { into, gives } = this.agent.node;
    if (gives && into !== undefined) this.turn.write(into, values);
    return { exit };
  }

  #failed(reason: string, code: FailureCode): Outcome {
    const { turn, agent } = this;
    const says = code === 'stopped' ? saying(turn, 'stopped') : failureSays(code, turn.language);
    turn.view.turn['failure'] = { model: agent.node.uses, reason, says };
    turn.problem('model-failed', { model: agent.node.uses, reason });
    return { exit: 'failed', note: reason };
  }

  /** Stops at a limit: says so, with what it has. */
  #stops(item: WorkItem): Outcome {
    const { turn } = this;
    this.#note(item);
    const last = this.memo.transcript.findLast((m) => m.role === 'assistant' && m.content.trim() !== '');
    const text = last?.content.trim() ?? '';
    const found = text === '' ? undefined : checked(text, groundsOf(turn, this.agent, this.memo, this.#system));
    const says = found && found.false.length > 0 ? '' : text;
    if (this.agent.node.gives === undefined) turn.say(says === '' ? saying(turn, 'limit') : saying(turn, 'limit-with', says));
    turn.problem(
      'agent-stopped',
      item.did === 'stopped' ? { limit: item.limit, of: item.of, most: item.most, used: item.used } : {},
    );
    return { exit: 'over-limit', note: item.did === 'stopped' ? `${item.limit} of the ${item.of}` : '' };
  }

  *#overLimit(): Walking<Outcome | undefined> {
    const { turn, agent } = this;
    const { limits } = agent.node;
    if (this.deadline.late) return this.#stops(this.#late());
    if (turn.work.asked >= MOST_AGENT_STEPS)
      return this.#stops({ did: 'stopped', limit: 'steps', of: 'turn', most: MOST_AGENT_STEPS, used: turn.work.asked });
    if (countsBefore(limits) && !this.#before) {
      const came = yield* perform(turn, { type: 'spent', path: `${turn.record.place}/spent`, agent: this.#place });
      this.#before = { visitor: came.visitor, day: came.day };
    }
    const { used } = this.memo;
    const spent: SpentSoFar = {
      turn: used,
      conversation: turn.work.spentBy(this.#place),
      visitor: plus(this.#before?.visitor ?? NOTHING_SPENT, this.#spentHere),
      day: plus(this.#before?.day ?? NOTHING_SPENT, this.#spentHere),
    };
    const found = reached(limits, spent);
    return found ? this.#stops({ did: 'stopped', ...found }) : undefined;
  }
}

/** What of the past an agent keeps with its own. */
function kept({ known, key }: Recalled): Pick<Memo, 'known' | 'key'> {
  return { known, ...(key === undefined ? {} : { key }) };
}

/** All agents of a turn together ask models so often: specialists that call each other come to an end. */
const MOST_AGENT_STEPS = 60;
const LONGEST_WORDS = 4000;
