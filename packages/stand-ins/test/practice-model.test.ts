import { expect } from 'chai';
import { nextStep } from '../src/model-service/agent.js';
import { FIRST_WISHES, SECOND_WISHES, type Wish } from './data/wishes.js';

const TOLD = 'You help. It is Monday, 2026-05-11, 11:00, in the time zone Europe/Dublin.';
const step = (says: string, tools: Wish[0], told = TOLD) =>
  nextStep(
    [
      { role: 'system', content: told },
      { role: 'user', content: says },
    ],
    tools,
  );

/** How many wishes led to the right tool, how many parameters were right, and which were wrong. */
function judged(wishes: readonly Wish[]) {
  const wrong: string[] = [];
  let [tools, params, all] = [0, 0, 0];
  for (const [offered, says, tool, wanted = {}] of wishes) {
    const [call] = step(says, offered).calls;
    const right = call?.name === tool;
    const entries = Object.entries(wanted);
    const met = right ? entries.filter(([k, v]) => JSON.stringify(call.given[k]) === JSON.stringify(v)).length : 0;
    tools += right ? 1 : 0;
    params += met;
    all += entries.length;
    if (!right || met < entries.length) wrong.push(`${says} -> ${JSON.stringify(call)}`);
  }
  return { tools: tools / wishes.length, params: params / all, wrong: wrong.join('\n') };
}

describe('the practice model with tools', () => {
  for (const [name, wishes] of [
    ['of five trades', FIRST_WISHES],
    ['of three more trades, written when it was done', SECOND_WISHES],
  ] as const)
    it(`chooses the right one and fills it in, eight times in ten, ${name}`, () => {
      const { tools, params, wrong } = judged(wishes);
      expect(tools, wrong).to.be.at.least(0.8);
      expect(params, wrong).to.be.at.least(0.8);
    });

  it('says the same of the same', () => {
    for (const [tools, says] of FIRST_WISHES) expect(step(says, tools)).to.deep.equal(step(says, tools));
  });

  it('asks for what is missing, and knows the date that it was told', () => {
    const tools = FIRST_WISHES[0]?.[0] ?? [];
    expect(step('book an appointment please', tools).text).to.match(/need to know/);
    expect(step('which day is it today?', tools).text).to.contain('2026-05-11');
  });

  it('says of itself what it is', () => {
    expect(step('who are you?', FIRST_WISHES[0]?.[0] ?? []).text).to.contain('practice model');
  });
});
