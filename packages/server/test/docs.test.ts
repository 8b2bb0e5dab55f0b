import { expect } from 'chai';
import { readFileSync } from 'node:fs';
import { checkBot, FUNCTIONS, READY_MAPPINGS, readDocument, readFolder } from '@primrose/core';
import { requestBodies } from '@primrose/contract';
import { LIMITS } from '../src/start/limits.js';
import { abilityTable, shownTable } from './support/channel-tables.js';

const doc = (name: string) => readFileSync(new URL(`../../../docs/${name}.md`, import.meta.url), 'utf8');
const withoutTicks = (text: string) => text.replaceAll('`', '');

describe('the docs', () => {
  it('have every limit with its usual value', () => {
    const settings = doc('settings');
    const lacking = Object.values(LIMITS)
      .filter(({ env, usual }) => !new RegExp(`^\\| \`${env}\` \\|.*\\| \`${usual}\` \\|$`, 'm').test(settings))
      .map(({ env, usual }) => `${env} ${usual}`);
    expect(lacking).to.deep.equal([]);
  });

  it('have the body of every request', () => {
    expect(doc('api')).to.contain(requestBodies());
  });

  it('have what each channel can show, and how each kind of message looks there', () => {
    expect(doc('channels')).to.contain(abilityTable());
    expect(doc('channels')).to.contain(shownTable());
  });

  it('have every ready mapping, and a page for every kind of channel', () => {
    const messenger = doc('messenger');
    expect(READY_MAPPINGS.filter((m) => !messenger.includes(`\`${m.id}\``)).map((m) => m.id)).to.deep.equal([]);
    for (const kind of ['mail', 'xmpp', 'irc', 'matrix', 'telephone', 'bot-api', 'bridge'])
      expect(doc(`channels/${kind}`), kind).to.match(/^# /);
  });

  it('have every function of expressions', () => {
    const format = withoutTicks(doc('bot-format'));
    const lacking = Object.values(FUNCTIONS)
      .map(withoutTicks)
      .filter((line) => {
        const at = line.indexOf(': ');
        return !format.includes(`| ${line.slice(0, at)} | ${line.slice(at + 2)} |`);
      });
    expect(lacking).to.deep.equal([]);
  });

  it('have a whole bot that a folder of these files makes, without a problem', () => {
    const blocks = [...doc('bot-format').matchAll(/^```yaml\n# (\S+\.yaml)\n(.*?)^```/gms)];
    const folder = Object.fromEntries(blocks.map(([, file = '', text = '']) => [file, text]));
    expect(Object.keys(folder)).to.include.members(['bot.yaml', 'flows/welcome.yaml']);
    const files = readFolder(folder);
    if (!files.ok) throw new Error(JSON.stringify(files.problems));
    const read = readDocument(files.source);
    if (!read.ok) throw new Error(JSON.stringify(read.problems));
    expect(checkBot(read.document)).to.deep.equal([]);
  });
});
