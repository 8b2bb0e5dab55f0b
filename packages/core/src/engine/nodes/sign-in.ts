import { z } from 'zod';
import { nodeBase, text } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import type { Hearing, Outcome } from '../compiled.js';
import type { SignInEffect, SignInResult } from '../effects/sign-in.js';
import { wordsIn, spokenEvent, type IncomingEvent } from '../event.js';
import { defineKind, wordUses } from '../kind.js';
import { signInWords } from '../sign-in-words.js';
import type { Turn } from '../turn.js';
import { SIGN_IN } from './sign-in-name.js';
import type { KnownAs, Waiting, Walking } from '../types.js';
import { perform } from '../walk.js';

const schema = z.strictObject({
  kind: z.literal(SIGN_IN),
  ...nodeBase,
  /** Why somebody is to sign in, in place of our words. */
  says: text.optional(),
  /** How often somebody may say something else before it gives up. */
  tries: z.int().min(0).max(10).optional(),
});
type SignInNode = z.infer<typeof schema>;

/** How far signing in has come: for an address or a code, or done, as whom. */
const memo = z.union([
  z.strictObject({ at: z.literal('address') }),
  z.strictObject({ at: z.literal('code'), email: z.string() }),
  z.strictObject({ at: z.literal('done'), name: z.string().nullable(), email: z.string().nullable() }),
]);
type Memo = z.infer<typeof memo>;

const ADDRESS = /[^\s@<>",;:()]{1,64}@[^\s@<>",;:()]{1,190}\.[^\s@<>",;:().!?]{2,24}/;
const DEFAULT_TRIES = 2;
const DIGITS = 6;

const put = (words: string, value: string): string => words.replace('{}', value);

/** The digits of a code that somebody says, in one piece or with gaps: "it is 123 456". Undefined where there are not six. */
function codeIn(said: string): string | undefined {
  const runs = said.match(/\d(?:[\s-]?\d)*/g) ?? [];
  return runs.map((run) => run.replace(/\D/g, '')).find((digits) => digits.length === DIGITS);
}

function* ask(turn: Turn, asked: Pick<SignInEffect, 'does' | 'email' | 'code'>): Walking<SignInResult> {
  const request: SignInEffect = { type: 'sign-in', path: turn.effectPath(), ...asked, language: turn.language };
  const result = yield* perform(turn, request);
  const { code, ...rest } = request;
  if (asked.does !== 'ways') turn.recordEffect({ request: code === undefined ? request : { ...rest, code: '…' }, result });
  return result;
}

function stateOf(turn: Turn): Memo {
  const read = memo.safeParse(turn.memo);
  return read.success ? read.data : { at: 'address' };
}

const keep = (turn: Turn, state: Memo): void => turn.keep(state);

/** Asks how somebody can sign in here, and says so; gives up where nobody can. */
function* begin(turn: Turn, says: ((turn: Turn) => string) | undefined, gaveUp: Outcome): Walking<Outcome> {
  const words = signInWords(turn.language);
  const ways = yield* ask(turn, { does: 'ways' });
  const { mail, elsewhere } = ways.outcome === 'ways' ? ways : { mail: false, elsewhere: false };
  if (!mail && !elsewhere) {
    turn.problem('no-sign-in', {});
    turn.say(words.cannot);
    return gaveUp;
  }
  keep(turn, { at: 'address' });
  turn.askSignIn(says?.(turn) ?? (mail && elsewhere ? words.either : mail ? words.byMail : words.elsewhere));
  return { wait: { tries: 0 } };
}

/** Has a code sent, and asks for it. */
function* send(turn: Turn, email: string): Walking<Outcome> {
  const words = signInWords(turn.language);
  const came = yield* ask(turn, { does: 'send', email });
  if (came.outcome === 'code-sent') {
    keep(turn, { at: 'code', email });
    turn.say(put(words.sent, email));
  } else {
    keep(turn, { at: 'address' });
    turn.say(put(words.notSent, came.outcome === 'failed' ? came.reason : email));
  }
  return { wait: { tries: 0 } };
}

/** Tries a code. Who has signed in is known from the next turn on, with what is kept of them: so this one rests. */
function* tryCode(turn: Turn, code: string, email: string): Walking<Outcome> {
  const words = signInWords(turn.language);
  const came = yield* ask(turn, { does: 'try', code, email });
  if (came.outcome === 'signed-in') {
    keep(turn, { at: 'done', name: came.name, email: came.email });
    return { rests: true };
  }
  if (came.outcome === 'wrong-code' && came.left > 0) turn.say(put(words.wrong, String(came.left)));
  else {
    keep(turn, { at: 'address' });
    turn.say(words.used);
  }
  return { wait: { tries: 0 } };
}

function signedIn(turn: Turn, who: KnownAs): Outcome {
  turn.knownAs(who);
  turn.say(signInWords(turn.language).signedIn);
  return { exit: 'signed-in' };
}

/** What somebody says while they are to sign in: an address, a code, or something else. */
function heard(
  turn: Turn,
  event: IncomingEvent,
  waiting: Waiting,
  { tries, gaveUp }: { tries: number; gaveUp: Outcome },
): Hearing {
  const spoken = spokenEvent(event);
  if (event.type === 'signed-in' || (spoken?.signedIn && event.type === 'message'))
    return signedIn(turn, { name: spoken?.name ?? null, email: spoken?.email ?? null });
  const said = wordsIn(event);
  const state = stateOf(turn);
  const email = ADDRESS.exec(said)?.[0]?.toLowerCase();
  const code = state.at === 'code' ? codeIn(said) : undefined;
  const words = signInWords(turn.language);
  const missed = (): Outcome => {
    if (waiting.tries >= tries) {
      turn.say(words.leave);
      return gaveUp;
    }
    turn.askSignIn(state.at === 'code' ? words.again : words.byMail);
    return { wait: { tries: waiting.tries + 1 } };
  };
  if (email !== undefined) return { reads: { sure: 0.97, as: 'an e-mail address', take: () => send(turn, email) }, missed };
  if (code !== undefined && state.at === 'code')
    return { reads: { sure: 0.98, as: 'a code', take: () => tryCode(turn, code, state.email) }, missed };
  return { missed };
}

/** Has the visitor sign in, by a code that is sent to their mailbox or by what the channel shows, and passes by who has done so. */
export const signIn = defineKind<SignInNode>({
  kind: SIGN_IN,
  band: 'visitor',
  about: 'have the visitor sign in',
  waits: true,
  schema,
  blank: () => ({}),
  exits: () => [
    { name: 'signed-in', about: 'it is known who they are' },
    { name: 'gave-up', about: 'they did not, or nobody can here', way: 'aside' },
  ],
  prose: (node, language) => ({
    text: node.says === undefined ? signInWords(language).byMail : sampleText(node.says, language),
  }),
  uses: (node) => wordUses(node.says, '/says'),
  prepare: (node, compiler) => {
    const text = node.says === undefined ? undefined : compiler.text('/says', node.says);
    const says = text && ((turn: Turn) => turn.wording(text));
    const tries = node.tries ?? DEFAULT_TRIES;
    // Where nothing is drawn for somebody who did not, the flow has come to nothing.
    const gaveUp: Outcome = node.exits?.['gave-up'] === undefined ? { ends: 'failed' } : { exit: 'gave-up' };
    return {
      run: (turn) => {
        const state = stateOf(turn);
        if (state.at === 'done') return signedIn(turn, state);
        return turn.view.turn['signed_in'] === true ? { exit: 'signed-in', note: 'already known' } : begin(turn, says, gaveUp);
      },
      hear: (turn, event, waiting) => heard(turn, event, waiting, { tries, gaveUp }),
    };
  },
});
