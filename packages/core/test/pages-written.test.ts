import { expect } from 'chai';
import {
  contrast,
  legibleColours,
  resultMarkdown,
  resultRows,
  resultText,
  shownAs,
  sourcesIn,
  tableFor,
  type ResultDocument,
  type Value,
} from '@primrose/core';

const AT = '2026-05-11T08:00:00.000Z';

describe('an output as it is shown and written', () => {
  it('takes each form, and shows as text what does not fit it', () => {
    expect(
      shownAs(
        'table',
        [
          { time: '07:20', boat: 'Sandpiper' },
          { time: '08:30', price: 8 },
        ],
        '',
      ),
    ).to.deep.equal({
      as: 'table',
      columns: ['Time', 'Boat', 'Price'],
      rows: [
        ['07:20', 'Sandpiper', ''],
        ['08:30', '', '8'],
      ],
      left: 0,
    });
    expect(shownAs('table', 'Before\n\n| a | b |\n|---|:-:|\n| 1 | x \\| y |\n| 2 |\n\nAfter', '')).to.deep.equal({
      as: 'table',
      columns: ['a', 'b'],
      rows: [
        ['1', 'x | y'],
        ['2', ''],
      ],
      left: 0,
    });
    expect(shownAs('list', '- one\n* two\n3. three', '')).to.deep.equal({ as: 'list', items: ['one', 'two', 'three'], left: 0 });
    expect(shownAs('list', 'No list at all.', '').as).to.equal('text');
    expect(shownAs('fields', { what_for: 'x', list: [1, 2] }, '')).to.deep.equal({
      as: 'fields',
      fields: [
        { name: 'What for', value: 'x' },
        { name: 'List', value: '1, 2' },
      ],
    });
    expect(shownAs('picture', 'javascript:alert(1)', 'a').as).to.equal('text');
    expect(shownAs('picture', 'http://127.0.0.1/files/a', 'a')).to.deep.equal({
      as: 'picture',
      address: 'http://127.0.0.1/files/a',
      alt: 'a',
    });
    expect(shownAs('file', { name: 'a', address: 'data:text/html,x' }, '').as).to.equal('text');
    expect(
      shownAs(
        'table',
        Array.from({ length: 900 }, (_, i) => ({ i })),
        '',
      ),
    ).to.include({ left: 400 });
    expect(tableFor('text', '- a\n- b').rows).to.deep.equal([['a'], ['b']]);
  });

  it('is written with its sources and page numbers', () => {
    const passages = [
      { number: 1, title: 'Log', heading: 'Noon', page: 3, quote: 'The ramp\nstuck.', address: 'http://127.0.0.1/p/1' },
      { number: 2, title: 'Log', heading: '', quote: 'Fog.', address: 'javascript:x' },
      { number: 3, quote: 'Never cited.' },
      'no passage',
    ] as Value;
    const sources = sourcesIn(passages, 'The ramp stuck [1]. Fog [2].');
    expect(sources.map((s) => [s.number, s.page, s.address])).to.deep.equal([
      [1, 3, 'http://127.0.0.1/p/1'],
      [2, null, null],
    ]);
    const result: ResultDocument = {
      title: 'Reader',
      at: AT,
      inputs: [['Log', 'a.md']],
      sections: [
        { title: 'Repairs', form: 'text', value: 'The **ramp** stuck [1].', sources },
        { title: 'Rows', form: 'table', value: [{ a: 'x | y', b: 1 }], sources: [] },
      ],
    };
    expect(resultMarkdown(result)).to.contain('- [1] Log › Noon, page 3: The ramp stuck.').and.contain('| x \\| y | 1 |');
    expect(resultText(result)).to.contain('The ramp stuck [1].').and.contain('A\tB\nx | y\t1').and.not.contain('**');
    expect(resultRows(result)).to.deep.equal([
      ['Repairs'],
      ['The **ramp** stuck [1].'],
      [''],
      ['Rows'],
      ['A', 'B'],
      ['x | y', '1'],
    ]);
  });
});

describe('the colours of a page’s owner', () => {
  it('are kept where they are legible, and moved as far as they have to be', () => {
    expect(legibleColours({})).to.deep.equal({ accent: null, onAccent: null, ground: null, ink: null });
    expect(legibleColours({ accent: '#34527c' })).to.include({ accent: '#34527c', onAccent: '#fffefa' });
    for (const colour of [
      '#000000',
      '#ffffff',
      '#777777',
      '#808080',
      '#ff0000',
      '#00ff00',
      '#0000ff',
      '#f2d449',
      '#7f8879',
      '#996633',
    ]) {
      const { accent, onAccent, ground, ink } = legibleColours({ accent: colour, ground: colour });
      expect(contrast(accent ?? '', onAccent ?? ''), colour).to.be.at.least(4.5);
      expect(contrast(ground ?? '', ink ?? ''), colour).to.be.at.least(7);
    }
  });
});
