import { expect } from 'chai';
import { PROBLEM_CODES, problemSentence } from '@primrose/core';
import type { Value } from '@primrose/core';

/** Every sentence that the checks and the turn sheet can say, pinned: a changed word is a changed interface. */
const SENTENCES: readonly [string, Record<string, Value>, string][] = [
  ['not-a-document', {}, 'This is no bot document: it should hold keys and values, beginning with primrose: 1.'],
  ['no-version', {}, 'The key "primrose" should say the version of the format: primrose: 1.'],
  ['newer-version', { version: 3, known: 1 }, 'The document has version 3; this Primrose knows up to 1. Upgrade Primrose first.'],
  ['unknown-key', { key: 'sayz', suggestion: 'says', known: ['says'] }, 'There is no key "sayz" here. Did you mean says?'],
  ['unknown-key', { key: 'zz', suggestion: null, known: ['a', 'b'] }, 'There is no key "zz" here. Known here: a, b.'],
  ['missing-key', { key: 'says', expected: 'a text' }, 'The key "says" is missing. Add it, with a text.'],
  [
    'invalid-id',
    { id: 'A b' },
    '"A b" cannot be a name here. Use small letters, digits and hyphens (underscores for variables).',
  ],
  [
    'invalid-value',
    { key: 'timeout', value: '4', expected: 'a time with its unit, such as 4s' },
    '"timeout" is 4, which does not fit here. Write a time with its unit, such as 4s.',
  ],
  ['unknown-zone', { zone: 'Mars' }, 'There is no time zone "Mars". Use a name such as Europe/Dublin.'],
  ['unknown-kind', { kind: 'saay', suggestion: 'say' }, 'There is no kind of node "saay". Did you mean say?'],
  ['too-large', { nodes: 6000, most: 5000 }, 'The bot has 6000 nodes; at most 5000 can be kept in one.'],
  ['unknown-flow', { name: 'x', suggestion: null }, 'There is no flow "x". Choose one of the bot’s flows.'],
  ['empty-flow', {}, 'The flow has no nodes yet. Add the first one.'],
  ['no-begin', { name: null }, 'The flow does not say where it begins. Choose its first node.'],
  ['no-begin', { name: 'hallo', suggestion: 'hello' }, 'The flow begins at "hallo", which is not there. Did you mean hello?'],
  ['duplicate-exit', { exit: 'a' }, 'Two exits are called "a". Give one of them another name.'],
  ['dangling-exit', { exit: 'done' }, 'The exit "done" leads nowhere. Link it to a node or add one after it.'],
  ['unknown-node', { exit: 'done', name: 'ask', suggestion: null }, 'The exit "done" leads to "ask", which is not in this flow.'],
  ['unknown-exit', { name: 'sad', suggestion: 'said' }, 'This node has no exit "sad". Did you mean said?'],
  ['empty-text', {}, 'The text is empty. Write what should be said.'],
  [
    'unknown-language',
    { language: 'fr', known: ['en', 'de'] },
    'The bot does not speak "fr". Add it to the bot’s languages (en, de) or remove the text.',
  ],
  [
    'expression-syntax',
    { message: 'it stops too early', start: 3 },
    'The expression cannot be read (at character 4): it stops too early.',
  ],
  [
    'expression-function',
    { message: 'there is no function "lenght"', start: 0, suggestion: null },
    'The expression cannot be used (at character 1): there is no function "lenght".',
  ],
  [
    'expression-limit',
    { message: 'it is longer than 2000 characters' },
    'The expression is too large: it is longer than 2000 characters. Split it up.',
  ],
  [
    'template-open',
    { message: '"{{" is never closed', start: 2 },
    'A value is not closed (at character 3): "{{" is never closed. Write }} behind it.',
  ],
  [
    'undeclared',
    { name: 'session.x', scope: 'session' },
    'session.x is not declared. Declare it under the bot’s session variables, or use flow.',
  ],
  ['unknown-name', { name: 'flow.dai', suggestion: 'flow.day' }, 'Nothing is called flow.dai. Did you mean flow.day?'],
  [
    'never-set',
    { name: 'visitor.n' },
    'visitor.n is read here but never set anywhere. Set it in a flow, or give it a first value.',
  ],
  ['unreachable', {}, 'No walk reaches this node. Link an exit to it, or remove it.'],
  [
    'endless-loop',
    { nodes: ['a', 'b'] },
    'These nodes can run round for ever without waiting: a, b. Put an ask or a choice between them.',
  ],
  ['nothing-set', {}, 'Nothing is set here. Add a variable and its value.'],
  ['no-cases', {}, 'There is no condition here. Add one, or remove the branch.'],
  ['unknown-entity', { name: 'prot', suggestion: 'port' }, 'An answer cannot be read as "prot". Did you mean port?'],
  ['no-choices', {}, 'There is nothing to choose. Add a button, or a list to build buttons from.'],
  ['reserved-id', { id: 'other' }, 'A button cannot be called "other": that is the name of another exit. Choose another id.'],
  ['duplicate-id', { id: 'a' }, 'Two buttons are called "a". Give one of them another id.'],
  [
    'same-words',
    { id: 'b', other: 'a', words: 'Yes' },
    'The buttons "b" and "a" say the same: "Yes". Give one of them other words.',
  ],
  ['unknown-action', { name: '' }, 'No action is chosen. Choose one of the bot’s actions.'],
  [
    'unknown-action',
    { name: 'office.lis', suggestion: 'office.list' },
    'There is no action "office.lis". Did you mean office.list?',
  ],
  ['not-given', { action: 'office.list', name: 'day' }, 'office.list needs "day". Say what it is given.'],
  ['unknown-input', { action: 'office.list', name: 'dai', suggestion: null }, 'office.list does not take "dai". Remove it.'],
  ['unknown-output', { action: 'greet', name: 'sum', suggestion: 'total' }, 'greet does not give "sum". Did you mean total?'],
  [
    'unknown-type',
    { name: 'port', type: 'prot', suggestion: 'port' },
    '"port" has the type "prot", which nothing is. Did you mean port?',
  ],
  ['never-given', { name: 'total' }, 'The flow says that it gives "total", but nothing sets flow.total. Set it, or remove it.'],
  ['pause-too-long', { for: '2m', most: '1m' }, 'A pause of 2m is too long; at most 1m is kept. Make it shorter.'],
  ['too-few-branches', {}, 'With fewer than two branches nothing runs at once. Add a branch, or call the flow itself.'],
  [
    'branch-asks',
    { asks: 'greet', node: 'ask-name' },
    'A branch cannot wait for the visitor, but "ask-name" in greet does. Ask before this node, or after it.',
  ],
  [
    'wrong-type',
    { name: 'seats', flow: 'greet', type: 'number', value: 'many' },
    '"seats" of greet should be number, but it was many; it was left out.',
  ],
  [
    'too-deep',
    { flow: 'greet', most: 20 },
    'greet was called inside too many others (20 at most). Does it call itself for ever?',
  ],
  ['branch-late', { branch: 'fares', ms: 2000 }, 'The branch "fares" took longer than 2 s and was not waited for.'],
  ['branch-waits', { branch: 'fares' }, 'The branch "fares" came to a node that waits for the visitor, which no branch can.'],
  [
    'branch-failed',
    { branch: 'fares', flow: 'find-fares' },
    'The branch "fares" failed: the flow find-fares did not come to its end.',
  ],
  ['missing-value', { expression: 'flow.x', field: '/says' }, 'flow.x had no value, so nothing was put in its place (/says).'],
  [
    'broken-value',
    { expression: 'flow.x + 1', reason: 'no such overload', field: '/says' },
    'flow.x + 1 could not be worked out: no such overload (/says).',
  ],
  ['loop-cut', { runs: 200 }, 'The turn was cut after 200 nodes without waiting. Put an ask or a choice into the loop.'],
  [
    'expression-type',
    { near: 'flow.count > "0"', message: '> does not work between a number and a text' },
    '"flow.count > "0"" will not work: > does not work between a number and a text.',
  ],
  [
    'call-circle',
    { flows: ['a', 'b'] },
    'These flows call each other in a circle: a, b. A walk through it is ended when it is too deep; let one of them lead back instead.',
  ],
  [
    'untranslated',
    { language: 'fr', texts: 2, intents: 1, values: 0, first: 'main/hello/says' },
    'Not everything is said in "fr": 2 texts, 1 intent without a phrase. The first is main/hello/says. Write the words, or take the language away.',
  ],
  [
    'no-secret',
    { name: 'office' },
    'The connection "office" shows a secret, and none is kept for it. With a stand-in it works, with visitors it fails: enter the secret on the Actions page.',
  ],
  [
    'entity-crowded',
    { name: 'town', count: 12 },
    '"town" has so many wordings that 12 of them are recognised only with fewer misspellings than others.',
  ],
  [
    'too-many-phrases',
    { phrases: 9000, learned: 5700, most: 19 },
    'There are 9000 phrases, which is more than there is time to learn. 5700 are learned: the first 19 of each intent. Keep those that differ most.',
  ],
  [
    'value-too-large',
    { name: 'flow.list', size: 700_000, most: 200_000 },
    'flow.list was left as it was: its new value would be 700000 characters, and at most 200000 are kept of one value.',
  ],
  [
    'state-too-large',
    { name: 'session.all', size: 700_000, most: 500_000 },
    'session.all was left as it was: with it this conversation would hold 700000 characters, and at most 500000 are kept. Empty what is not needed any more.',
  ],
  [
    'turn-too-large',
    { size: 2_000_100, runs: 20 },
    'The turn was cut after 20 nodes: it did so much that its record came to 2000100 characters.',
  ],
  ['message-cut', { size: 30_000, most: 20_000 }, 'A message of 30000 characters was cut to 20000.'],
  ['node-gone', { node: 'ask' }, 'The node "ask" is no longer in the flow, so the flow began again with its values kept.'],
  ['action-failed', { action: 'office.list', reason: 'too slow' }, 'office.list failed: too slow.'],
  ['unknown-intent', { name: 'bok', suggestion: 'book' }, 'There is no intent "bok". Did you mean book?'],
  [
    'correction-late',
    { questions: ['Travel day', 'Name'], by: 'Book it' },
    'From here on nobody can correct Travel day, Name: “Book it” has been done by then, and is not undone. Ask this before it, or end the flow there.',
  ],
  ['hears-nothing', {}, 'This node listens for nothing. Choose the intents that it should hear.'],
  ['no-phrases', { name: 'book' }, 'The intent "book" has no phrases, so nobody can mean it. Write some ways of saying it.'],
  ['few-phrases', { name: 'book', count: 2 }, 'The intent "book" has only 2 phrases. Five or more make it reliable.'],
  ['same-phrase', { name: 'a', other: 'b', phrase: 'hello' }, '"hello" is a phrase of both "a" and "b". Keep it in one of them.'],
  [
    'unknown-ready',
    { name: 'helo', suggestion: 'hello', known: ['hello'] },
    'There is no ready wish "helo". Did you mean hello?',
  ],
  ['mark-open', { phrase: 'to <<x' }, 'A mark in "to <<x" is not closed. Write >> behind it.'],
  [
    'mark-form',
    { phrase: '<<x>>' },
    'A mark in "<<x>>" cannot be read. Write it as <<words | entity>> or <<words | role: entity>>.',
  ],
  [
    'unknown-mark',
    { phrase: '<<x | prot>>', name: 'prot', suggestion: 'port' },
    '"<<x | prot>>" marks a value of "prot", which nothing is. Did you mean port?',
  ],
  ['bad-pattern', { name: 'code' }, 'The pattern of "code" cannot be read. Use RE2 syntax: no look-around, no back references.'],
  ['entity-form', { name: 'code' }, 'The entity "code" needs either values or a pattern. Give it one of them.'],
  ['unknown-context', { name: 'trp', suggestion: 'trip' }, 'There is no context "trp". Did you mean trip?'],
  [
    'not-carried',
    { context: 'trip', name: 'dai', suggestion: 'day' },
    'The context "trip" does not carry "dai". Did you mean day?',
  ],
  ['never-opened', { name: 'trip' }, 'Nothing opens the context "trip". Open it in a set node, or remove it.'],
  ['unknown-model', { name: '' }, 'No model is chosen. Choose one of the bot’s profiles.'],
  ['unknown-connection', { name: 'servce', suggestion: 'service' }, 'There is no connection "servce". Did you mean service?'],
  ['empty-prompt', {}, 'The prompt is empty. Say what the model should do.'],
  [
    'aloud-fields',
    {},
    'Only a text can be said aloud, and this model gives fields. Take the fields away, or do not say them aloud.',
  ],
  [
    'words-as-instruction',
    { part: 'task' },
    'The part "task" gives what the visitor wrote as an instruction. Mark the part as input, so that nobody can order the model about.',
  ],
  ['unknown-knowledge', { name: 'gide', suggestion: 'guide' }, 'There is no knowledge base "gide". Did you mean guide?'],
  ['empty-document', { name: 'fares' }, 'The document "fares" has no text that could be found. Fill it, or remove it.'],
  ['empty-knowledge', { name: 'guide' }, 'The knowledge base "guide" has no documents. Upload one.'],
  ['no-reason', {}, 'Staff are not told why. Say what the conversation is handed over for.'],
  ['model-failed', { model: 'quick', reason: 'too slow' }, 'The model "quick" gave no answer: too slow.'],
  [
    'model-answer',
    { model: 'quick', field: 'day', reason: 'it is missing' },
    'The answer of "quick" does not fit in day: it is missing.',
  ],
  ['no-context', { intent: 'later', context: 'trip' }, '"later" was recognised, but its context "trip" was not open.'],
  [
    'rehearsal-turn',
    { ways: [] },
    'Nothing comes in with this turn. Say what the visitor does: opens, says, presses, sends, starts or hands-back.',
  ],
  ['rehearsal-turn', { ways: ['opens', 'says'] }, 'Several things come in at once (opens, says). Make a turn of each.'],
  ['rehearsal-node', { name: 'main/x', suggestion: null }, 'There is no node "main/x". Write it as flow/node.'],
  ['unknown-sample', { name: 'dogs', suggestion: 'dog' }, 'There is no sample "dogs". Did you mean dog?'],
  ['no-event', { name: 'booked' }, '"booked" is the result of a call, not something that comes in. Name a kept event.'],
  ['no-way-on', { exit: 'done' }, 'The exit "done" leads nowhere, so the flow ended here.'],
  ['no-way-on', { flow: 'welcome' }, 'The flow "welcome" has no first node.'],
];

describe('the sentence of a problem', () => {
  for (const [code, facts, sentence] of SENTENCES) {
    it(`${code}: ${sentence}`, () => expect(problemSentence({ code, facts })).to.equal(sentence));
  }
  it('is pinned for every code', () => {
    expect([...new Set(SENTENCES.map(([code]) => code))]).to.have.members([...PROBLEM_CODES]);
  });
});
