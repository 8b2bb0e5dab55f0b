import type { Problem } from '../document/problem.js';
import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';

type Facts = Readonly<Record<string, Value>>;

const meant = (f: Facts): string => (f['suggestion'] ? ` Did you mean ${textOf(f['suggestion'])}?` : '');
const t = (v: Value | undefined): string => textOf(v);
const at = (f: Facts): string => (typeof f['start'] === 'number' ? ` (at character ${f['start'] + 1})` : '');

/** One sentence per code: what is wrong, and what to do about it. */
const SENTENCES: Readonly<Record<string, (f: Facts) => string>> = {
  'not-a-document': () => 'This is no bot document: it should hold keys and values, beginning with primrose: 1.',
  'no-version': () => 'The key "primrose" should say the version of the format: primrose: 1.',
  'newer-version': (f) =>
    `The document has version ${t(f['version'])}; this Primrose knows up to ${t(f['known'])}. Upgrade Primrose first.`,
  'unknown-key': (f) => `There is no key "${t(f['key'])}" here.${meant(f) || ` Known here: ${t(f['known'])}.`}`,
  'missing-key': (f) => `The key "${t(f['key'])}" is missing. Add it, with ${t(f['expected'])}.`,
  'invalid-id': (f) =>
    `"${t(f['id'])}" cannot be a name here. Use small letters, digits and hyphens (underscores for variables).`,
  'invalid-value': (f) =>
    `${f['key'] ? `"${t(f['key'])}" is ${t(f['value'])}, which` : t(f['value'])} does not fit here. Write ${t(f['expected'])}.`,
  'unknown-zone': (f) => `There is no time zone "${t(f['zone'])}". Use a name such as Europe/Dublin.`,
  'unknown-kind': (f) => `There is no kind of node "${t(f['kind'])}".${meant(f)}`,
  'too-large': (f) => `The bot has ${t(f['nodes'])} nodes; at most ${t(f['most'])} can be kept in one.`,
  'unknown-flow': (f) => `There is no flow "${t(f['name'])}".${meant(f) || ' Choose one of the bot’s flows.'}`,
  'unknown-page': (f) => `There is no page "${t(f['name'])}".${meant(f) || ' Choose one of the bot’s pages.'}`,
  'page-asks': (f) =>
    `The flow "${t(f['flow'])}" comes to a node that waits for somebody (${t(f['asks'])}/${t(f['node'])}); a page fills everything in at once. Take it out, or ask for it with an input.`,
  'page-needs': (f) =>
    `The flow "${t(f['flow'])}" needs "${t(f['name'])}", and no input of the page asks for it. Add the input, or let it stay empty (with a ? behind its type).`,
  'page-form': (f) =>
    `"${t(f['name'])}" is filled in as ${t(f['as'])}, which is ${t(f['wanted'])}; its flow takes ${t(f['type'])}. Change one of the two.`,
  'page-no-choices': (f) => `There is nothing to choose for "${t(f['name'])}". Say what can be chosen.`,
  'page-twice': (f) => `The ${t(f['name'])} stands on the page twice. Take one of them out.`,
  'page-shows-nothing': () => 'The page shows no output. Add one, so that somebody sees what came of it.',
  'nothing-makes': (f) => `No node of the flow "${t(f['flow'])}" makes "${t(f['output'])}". Let a node write it.`,
  'empty-flow': () => 'The flow has no nodes yet. Add the first one.',
  'no-begin': (f) =>
    f['name'] === null
      ? 'The flow does not say where it begins. Choose its first node.'
      : `The flow begins at "${t(f['name'])}", which is not there.${meant(f)}`,
  'duplicate-exit': (f) => `Two exits are called "${t(f['exit'])}". Give one of them another name.`,
  'dangling-exit': (f) => `The exit "${t(f['exit'])}" leads nowhere. Link it to a node or add one after it.`,
  'unknown-node': (f) => `The exit "${t(f['exit'])}" leads to "${t(f['name'])}", which is not in this flow.${meant(f)}`,
  'unknown-exit': (f) => `This node has no exit "${t(f['name'])}".${meant(f) || ' Remove the link.'}`,
  'empty-text': () => 'The text is empty. Write what should be said.',
  'unknown-language': (f) =>
    `The bot does not speak "${t(f['language'])}". Add it to the bot’s languages (${t(f['known'])}) or remove the text.`,
  'expression-syntax': (f) => `The expression cannot be read${at(f)}: ${t(f['message'])}.${meant(f)}`,
  'expression-function': (f) => `The expression cannot be used${at(f)}: ${t(f['message'])}.${meant(f)}`,
  'expression-limit': (f) => `The expression is too large${at(f)}: ${t(f['message'])}. Split it up.`,
  'expression-type': (f) => `"${t(f['near'])}" will not work: ${t(f['message'])}.`,
  'call-circle': (f) =>
    `These flows call each other in a circle: ${t(f['flows'])}. A walk through it is ended when it is too deep; let one of them lead back instead.`,
  untranslated: (f) =>
    `Not everything is said in "${t(f['language'])}": ${missingWords(f)}.${f['first'] === null ? '' : ` The first is ${t(f['first'])}.`} Write the words, or take the language away.`,
  'no-secret': (f) =>
    `The connection "${t(f['name'])}" shows a secret, and none is kept for it. With a stand-in it works, with visitors it fails: enter the secret on the Actions page.`,
  'entity-crowded': (f) =>
    `"${t(f['name'])}" has so many wordings that ${t(f['count'])} of them are recognised only with fewer misspellings than others.`,
  'too-many-phrases': (f) =>
    `There are ${t(f['phrases'])} phrases, which is more than there is time to learn. ${t(f['learned'])} are learned: the first ${t(f['most'])} of each intent. Keep those that differ most.`,
  'template-open': (f) => `A value is not closed${at(f)}: ${t(f['message'])}. Write }} behind it.`,
  undeclared: (f) =>
    `${t(f['name'])} is not declared.${meant(f) || ` Declare it under the bot’s ${t(f['scope'])} variables, or use flow.`}`,
  'unknown-name': (f) =>
    `Nothing is called ${t(f['name'])}${at(f)}.${meant(f) || ' Set it somewhere first, or choose a name that is known here.'}`,
  'never-set': (f) => `${t(f['name'])} is read here but never set anywhere. Set it in a flow, or give it a first value.`,
  unreachable: () => 'No walk reaches this node. Link an exit to it, or remove it.',
  'endless-loop': (f) =>
    `These nodes can run round for ever without waiting: ${t(f['nodes'])}. Put an ask or a choice between them.`,
  'nothing-set': () => 'Nothing is set here. Add a variable and its value.',
  'no-cases': () => 'There is no condition here. Add one, or remove the branch.',
  'unknown-entity': (f) =>
    `An answer cannot be read as "${t(f['name'])}".${meant(f) || ' Use text, number, yes_no, date, time, email, phone or an entity of this bot.'}`,
  'no-choices': () => 'There is nothing to choose. Add a button, or a list to build buttons from.',
  'reserved-id': (f) => `A button cannot be called "${t(f['id'])}": that is the name of another exit. Choose another id.`,
  'duplicate-id': (f) => `Two buttons are called "${t(f['id'])}". Give one of them another id.`,
  'same-words': (f) =>
    `The buttons "${t(f['id'])}" and "${t(f['other'])}" say the same: "${t(f['words'])}". Give one of them other words.`,
  'unknown-action': (f) =>
    f['name'] === ''
      ? 'No action is chosen. Choose one of the bot’s actions.'
      : `There is no action "${t(f['name'])}".${meant(f)}`,
  'not-given': (f) => `${t(f['action'])} needs "${t(f['name'])}". Say what it is given.`,
  'unknown-input': (f) => `${t(f['action'])} does not take "${t(f['name'])}".${meant(f) || ' Remove it.'}`,
  'unknown-output': (f) => `${t(f['action'])} does not give "${t(f['name'])}".${meant(f) || ' Remove it.'}`,
  'unknown-type': (f) =>
    `"${t(f['name'])}" has the type "${t(f['type'])}", which nothing is.${meant(f) || ` There are: ${t(f['known'])}.`}`,
  'never-given': (f) =>
    `The flow says that it gives "${t(f['name'])}", but nothing sets flow.${t(f['name'])}. Set it, or remove it.`,
  'pause-too-long': (f) => `A pause of ${t(f['for'])} is too long; at most ${t(f['most'])} is kept. Make it shorter.`,
  'too-few-branches': () => 'With fewer than two branches nothing runs at once. Add a branch, or call the flow itself.',
  'branch-asks': (f) =>
    `A branch cannot wait for the visitor, but "${t(f['node'])}" in ${t(f['asks'])} does. Ask before this node, or after it.`,
  'wrong-type': (f) =>
    `"${t(f['name'])}" of ${t(f['flow'])} should be ${t(f['type'])}, but it was ${t(f['value'])}; it was left out.`,
  'too-deep': (f) => `${t(f['flow'])} was called inside too many others (${t(f['most'])} at most). Does it call itself for ever?`,
  'branch-late': (f) => `The branch "${t(f['branch'])}" took longer than ${Number(f['ms']) / 1000} s and was not waited for.`,
  'branch-waits': (f) => `The branch "${t(f['branch'])}" came to a node that waits for the visitor, which no branch can.`,
  'branch-failed': (f) => `The branch "${t(f['branch'])}" failed: the flow ${t(f['flow'])} did not come to its end.`,
  'missing-value': (f) => `${t(f['expression'])} had no value, so nothing was put in its place (${t(f['field'])}).`,
  'broken-value': (f) => `${t(f['expression'])} could not be worked out: ${t(f['reason'])} (${t(f['field'])}).`,
  'loop-cut': (f) => `The turn was cut after ${t(f['runs'])} nodes without waiting. Put an ask or a choice into the loop.`,
  'value-too-large': (f) =>
    `${t(f['name'])} was left as it was: its new value would be ${sizeWords(f['size'])}, and at most ${t(f['most'])} are kept of one value.`,
  'state-too-large': (f) =>
    `${t(f['name'])} was left as it was: with it this conversation would hold ${sizeWords(f['size'])}, and at most ${t(f['most'])} are kept. Empty what is not needed any more.`,
  'turn-too-large': (f) =>
    `The turn was cut after ${t(f['runs'])} nodes: it did so much that its record came to ${sizeWords(f['size'])}.`,
  'message-cut': (f) => `A message of ${sizeWords(f['size'])} was cut to ${t(f['most'])}.`,
  'node-gone': (f) => `The node "${t(f['node'])}" is no longer in the flow, so the flow began again with its values kept.`,
  'table-failed': (f) => `The table ${t(f['table'])} was not changed or read: ${t(f['reason'])}.`,
  'no-sign-in': () => 'Nobody can sign in on this channel. Set up a way on its page, under Who is speaking.',
  'notice-failed': (f) => `The notice to ${t(f['to']) || 'nobody'} was not sent: ${t(f['reason'])}.`,
  'action-failed': (f) => `${t(f['action'])} failed: ${t(f['reason'])}.`,
  'unknown-intent': (f) => `There is no intent "${t(f['name'])}".${meant(f) || ' Add it on the Understanding page.'}`,
  'correction-late': (f) =>
    `From here on nobody can correct ${t(f['questions'])}: “${t(f['by'])}” has been done by then, and is not undone. Ask this before it, or end the flow there.`,
  'hears-nothing': () => 'This node listens for nothing. Choose the intents that it should hear.',
  'no-phrases': (f) => `The intent "${t(f['name'])}" has no phrases, so nobody can mean it. Write some ways of saying it.`,
  'few-phrases': (f) => `The intent "${t(f['name'])}" has only ${t(f['count'])} phrases. Five or more make it reliable.`,
  'same-phrase': (f) =>
    `"${t(f['phrase'])}" is a phrase of both "${t(f['name'])}" and "${t(f['other'])}". Keep it in one of them.`,
  'unknown-ready': (f) => `There is no ready wish "${t(f['name'])}".${meant(f) || ` There are: ${t(f['known'])}.`}`,
  'mark-open': (f) => `A mark in "${t(f['phrase'])}" is not closed. Write >> behind it.`,
  'mark-form': (f) => `A mark in "${t(f['phrase'])}" cannot be read. Write it as <<words | entity>> or <<words | role: entity>>.`,
  'unknown-mark': (f) => `"${t(f['phrase'])}" marks a value of "${t(f['name'])}", which nothing is.${meant(f)}`,
  'bad-pattern': (f) => `The pattern of "${t(f['name'])}" cannot be read. Use RE2 syntax: no look-around, no back references.`,
  'entity-form': (f) => `The entity "${t(f['name'])}" needs either values or a pattern. Give it one of them.`,
  'unknown-context': (f) => `There is no context "${t(f['name'])}".${meant(f) || ' Declare it on the Understanding page.'}`,
  'not-carried': (f) => `The context "${t(f['context'])}" does not carry "${t(f['name'])}".${meant(f) || ' Declare it there.'}`,
  'never-opened': (f) => `Nothing opens the context "${t(f['name'])}". Open it in a set node, or remove it.`,
  'too-many-facts': (f) =>
    `There are ${t(f['count'])} kinds of facts; at most ${t(f['most'])} are kept. Take out those that matter least.`,
  'fills-nothing': (f) =>
    `"${t(f['fact'])}" fills "${t(f['name'])}", which no flow takes or asks for.${meant(f) || ' Name a variable of a flow.'}`,
  'fact-unheard': (f) =>
    `Nothing finds the fact "${t(f['name'])}". Give it words, a variable that it fills, or a model that proposes facts.`,
  'fact-names': (f) => `${t(f['name'])} is not known here: the text of a fact can name its value only, as {{ value }}.`,
  'no-memory-key': (f) =>
    `The key ${t(f['key'])} is empty, so nothing was recalled and nothing is kept. Set it before this node, or take the key out.`,
  'recall-failed': (f) =>
    `What is kept under "${t(f['key'])}" could not be read: ${t(f['reason'])}. The model was asked without it.`,
  'unknown-model': (f) =>
    f['name'] === ''
      ? 'No model is chosen. Choose one of the bot’s profiles.'
      : `There is no model profile "${t(f['name'])}".${meant(f)}`,
  'unknown-fallback': (f) => `There is no model profile "${t(f['name'])}" to fall back to.${meant(f)}`,
  'fallback-circle': (f) =>
    `These profiles fall back to each other in a circle: ${t(f['models'])}. Let the last one stand alone.`,
  'limit-without-price': (f) =>
    `Money is limited, and "${t(f['model'])}" has no price, so nothing is ever counted. Give the profile a price, or limit tokens.`,
  'unknown-tool': (f) =>
    `The server has no tool "${t(f['name'])}" among those that were chosen.${meant(f) || ' List its tools anew on the Actions page.'}`,
  'no-tools-listed': (f) =>
    `No tools of "${t(f['name'])}" are chosen yet. List them on the Actions page and keep those that are to be used.`,
  'tool-without-about': (f) =>
    `The tool "${t(f['name'])}" does not say what it is for, so the model knows its name only. Describe it in a sentence.`,
  'many-tools': (f) =>
    `The agent has ${t(f['count'])} tools; with more than ${t(f['few'])} models choose worse. Give some of them to a specialist, a flow with an agent of its own.`,
  'tools-alike': (f) =>
    `"${t(f['one'])}" and "${t(f['other'])}" can hardly be told apart: their texts are ${t(f['percent'])} % alike${Number(f['wishes']) > 0 ? `, and of ${t(f['wishes'])} kept wishes for them ${t(f['unclear'])} could be for either` : ''}. Say of each when it is to be used, and when not.`,
  'unused-input': (f) =>
    `The flow takes "${t(f['name'])}", and nothing in it reads that: the agent does not know of it. Put it into a part of the prompt, or take it away.`,
  'pictures-left': (f) =>
    `${t(f['count'])} pictures were not shown to the model: they are too large, too many, or have no address.`,
  'agent-stopped': (f) =>
    `The agent came to its limit of ${t(f['limit'])} for one ${t(f['of'])}: ${t(f['used'])} of ${t(f['most'])}.`,
  'unknown-connection': (f) => `There is no connection "${t(f['name'])}".${meant(f) || ' Describe it under connections/.'}`,
  'empty-prompt': () => 'The prompt is empty. Say what the model should do.',
  'plain-fields': () =>
    'Only a text can be plain, and this model gives fields. Take the fields away, or do not ask for plain text.',
  'answer-nowhere': () =>
    'The answer is neither kept nor said. Choose a variable for it, have it said aloud, or give the model ways to choose.',
  'too-many-fields': (f) =>
    `The answer has more than ${t(f['most'])} fields, or stands too deep. A model fills in a few well: keep those that are used.`,
  'no-ways': () => 'There is no way to choose. Add one and say when it is meant, or take the ways out.',
  'too-many-ways': (f) => `There are more than ${t(f['most'])} ways. Let the model choose among a few, and go on from there.`,
  'reserved-way': (f) => `A way cannot be called "${t(f['name'])}": that is the name of another exit. Choose another name.`,
  'aloud-fields': () =>
    'Only a text can be said aloud, and this model gives fields or chooses a way. Take those away, or do not say it aloud.',
  'words-as-instruction': (f) =>
    `The part "${t(f['part'])}" gives what the visitor wrote as an instruction. Mark the part as input, so that nobody can order the model about.`,
  'unknown-knowledge': (f) =>
    f['name'] === '' ? 'No knowledge base is chosen. Choose one.' : `There is no knowledge base "${t(f['name'])}".${meant(f)}`,
  'empty-document': (f) => `The document "${t(f['name'])}" has no text that could be found. Fill it, or remove it.`,
  'empty-knowledge': (f) => `The knowledge base "${t(f['name'])}" has no documents. Upload one.`,
  'no-reason': () => 'Staff are not told why. Say what the conversation is handed over for.',
  'model-failed': (f) => `The model "${t(f['model'])}" gave no answer: ${t(f['reason'])}.`,
  'model-answer': (f) =>
    `The answer of "${t(f['model'])}" does not fit${f['field'] === '' ? '' : ` in ${t(f['field'])}`}: ${t(f['reason'])}.`,
  'no-context': (f) => `"${t(f['intent'])}" was recognised, but its context "${t(f['context'])}" was not open.`,
  'unknown-table': (f) => `There is no table "${t(f['name'])}".${meant(f) || ' Declare it under Tables.'}`,
  'unknown-column': (f) =>
    `The table ${t(f['table'])} has no column "${t(f['name'])}".${meant(f) || ' Choose one of its columns.'}`,
  'column-not-given': (f) =>
    `A row of ${t(f['table'])} needs "${t(f['name'])}", and nothing fills it in. Give it a value, or a variable of its name.`,
  'column-left-empty': (f) =>
    `Nothing fills in "${t(f['name'])}" of ${t(f['table'])}: the flow has no variable of its name. Give it a value; null says that it stays empty.`,
  'table-without-key': (f) => `${t(f['table'])} has no key, so no row can be changed by it. Give the table a key, or add.`,
  'all-rows': (f) => `Without a condition all rows of ${t(f['table'])} are meant. Say which ones.`,
  'nothing-changed': (f) => `It says of no column of ${t(f['table'])} what it is to hold. Give at least one value.`,
  'found-for-nothing': () => 'What it finds or hands on is kept nowhere. Say into which variable it goes.',
  'no-columns': (f) => `The table ${t(f['table'])} has no columns. Add the first one.`,
  'too-many-columns': (f) => `The table ${t(f['table'])} has more than ${t(f['most'])} columns. Make two tables of it.`,
  'column-name': (f) => `"${t(f['name'])}" is what every row has already. Give the column another name.`,
  'one-of-what': (f) => `"${t(f['name'])}" should say what it is one of: type one_of and a list under "of", or neither.`,
  'column-default': (f) => `What "${t(f['name'])}" holds at first does not fit: it ${t(f['reason'])}.`,
  'notice-to-nobody': () => 'It does not say whom to tell. Name a person or a room.',
  'start-asks': (f) =>
    `${t(f['start'])} begins ${t(f['flow'])}, where "${t(f['node'])}" in ${t(f['asks'])} waits for an answer. In a run nobody is there to answer; ask in a flow of its own.`,
  'bad-cron': (f) =>
    `"${t(f['name'])}" is no time that can be read. Write five fields: minute, hour, day of the month, month, day of the week, such as 30 6 * * 1-5.`,
  'unknown-start': (f) => `There is no start "${t(f['name'])}".${meant(f)}`,
  'rehearsal-row': (f) => `A row of ${t(f['table'])} does not fit: ${t(f['reason'])}.`,
  'rehearsal-turn': (f) =>
    (f['ways'] as string[]).length === 0
      ? 'Nothing comes in with this turn. Say what the visitor does: opens, says, presses, sends, fires, starts, hands-back or signs-in.'
      : `Several things come in at once (${t(f['ways'])}). Make a turn of each.`,
  'rehearsal-node': (f) => `There is no node "${t(f['name'])}".${meant(f) || ' Write it as flow/node.'}`,
  'unknown-sample': (f) => `There is no sample "${t(f['name'])}".${meant(f) || ' Keep one from a turn sheet.'}`,
  'no-event': (f) => `"${t(f['name'])}" is the result of a call, not something that comes in. Name a kept event.`,
  'no-way-on': (f) =>
    f['exit']
      ? `The exit "${t(f['exit'])}" leads nowhere, so the flow ended here.`
      : `The flow "${t(f['flow'])}" has no first node.`,
};

/** What is missing in a language, counted. */
function missingWords(f: Facts): string {
  const of = (key: string, one: string, many: string) => {
    const count = Number(f[key] ?? 0);
    return count === 0 ? [] : [`${count} ${count === 1 ? one : many}`];
  };
  return [
    ...of('texts', 'text', 'texts'),
    ...of('intents', 'intent without a phrase', 'intents without a phrase'),
    ...of('values', 'listed value', 'listed values'),
  ].join(', ');
}

function sizeWords(size: Value | undefined): string {
  return Number.isFinite(Number(size)) ? `${t(Number(size))} characters` : 'nested too deeply';
}

/** Words a problem of a document or of a turn. */
export function problemSentence(problem: Pick<Problem, 'code' | 'facts'>): string {
  return SENTENCES[problem.code]?.(problem.facts) ?? problem.code;
}

/** The codes that have a sentence; a test holds that every problem has one. */
export const PROBLEM_CODES: readonly string[] = Object.keys(SENTENCES);
