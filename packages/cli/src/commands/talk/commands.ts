import type { Conversation } from './conversation.js';

/** Something that can be typed besides words for the bot. */
export interface TalkCommand {
  readonly takes: string;
  readonly about: string;
  readonly run: (talk: Conversation, words: string) => Promise<void>;
}

/** What can be typed besides words, in the order in which /help lists it. */
export const COMMANDS: Readonly<Record<string, TalkCommand>> = {
  help: { takes: '', about: 'this list', run: (talk) => Promise.resolve(talk.print(helpText())) },
  sheet: {
    takes: '[TURN]',
    about: 'how a turn came about: the last one, or by its number',
    run: (talk, w) => done(() => talk.sheet(w)),
  },
  back: {
    takes: '[TURN]',
    about: 'talk on from an earlier turn; the other line stays as a branch',
    run: (talk, w) => talk.back(w),
  },
  branches: { takes: '', about: 'the tree of what was said', run: (talk) => done(() => talk.branches()) },
  branch: { takes: 'NUMBER', about: 'talk on where another branch ends', run: (talk, w) => talk.branch(w) },
  again: {
    takes: '',
    about: 'say all again to the draft as it is now, and see what answers otherwise',
    run: (talk) => talk.again(),
  },
  start: { takes: 'FLOW/NODE [flow.x=…]', about: 'begin at a node, with variables filled in', run: (talk, w) => talk.start(w) },
  new: { takes: '', about: 'start over', run: (talk) => talk.startOver() },
  step: {
    takes: '[on|off]',
    about: 'pause before each node; then /next, /run, /stop',
    run: (talk, w) => done(() => talk.step(w)),
  },
  next: { takes: '', about: 'run the node that the turn pauses at', run: (talk) => talk.goOn('step') },
  run: { takes: '', about: 'run the turn to its end', run: (talk) => talk.goOn('run') },
  stop: { takes: '', about: 'stop the turn that pauses; what was done is kept', run: (talk) => talk.goOn('stop') },
  set: { takes: 'flow.x=…', about: 'change a variable before going on', run: (talk, w) => done(() => talk.set(w)) },
  as: { takes: 'NAME', about: 'speak as a made-up visitor; "nobody" for somebody new', run: (talk, w) => talk.speakAs(w) },
  language: {
    takes: 'TAG',
    about: 'speak in another language',
    run: (talk, w) => talk.change({ speaker: { language: w || null } }),
  },
  zone: { takes: 'ZONE', about: 'be in another time zone', run: (talk, w) => talk.change({ speaker: { zone: w || null } }) },
  'signed-in': {
    takes: '[E-MAIL]',
    about: 'have signed in with this address; without one, have not',
    run: (talk, w) => talk.change({ speaker: { email: w || null } }),
  },
  channel: {
    takes: 'NAME',
    about: 'act as another channel',
    run: (talk, w) => talk.change({ speaker: { channel: w || 'simulator' } }),
  },
  clock: {
    takes: 'now|MOMENT|run MOMENT',
    about: 'what time it is: it stands, or runs from there',
    run: (talk, w) => talk.setClock(w),
  },
  outside: { takes: '[CONNECTION samples|stand-in|for real, yes]', about: 'where calls go', run: (talk, w) => talk.outside(w) },
  samples: {
    takes: '[NAMES]',
    about: 'samples that answer before all others, with spaces between',
    run: (talk, w) => talk.change({ samples: w.split(/\s+/).filter(Boolean) }),
  },
  say: { takes: 'SAMPLE', about: 'say a kept event', run: (talk, w) => talk.run({ type: 'sample', sample: w }) },
  'hand-back': {
    takes: '',
    about: 'hand back what was handed over, as staff would',
    run: (talk) => talk.run({ type: 'hand-back' }),
  },
  name: {
    takes: 'WORDS',
    about: 'name this conversation, so that it is kept',
    run: (talk, w) => talk.change({ name: w || null }),
  },
  open: { takes: 'NAME', about: 'take up a kept conversation', run: (talk, w) => talk.open(w) },
  list: { takes: '', about: 'the conversations in the simulator', run: (talk) => talk.list() },
  keep: { takes: 'NAME', about: 'keep this conversation as a rehearsal of the bot', run: (talk, w) => talk.keep(w) },
  quit: { takes: '', about: 'end (Ctrl-D too)', run: () => Promise.resolve() },
};

/** What /help prints. */
function helpText(): string {
  return Object.entries(COMMANDS)
    .map(([name, { takes, about }]) => `     ${`/${name} ${takes}`.padEnd(46)} ${about}`)
    .join('\n');
}

async function done(work: () => void): Promise<void> {
  await Promise.resolve();
  work();
}
