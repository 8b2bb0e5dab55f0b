// Bots of a size, made up for benchmarks and tests: a ferry line that never ends.

/** One node of a long flow; kinds take turns. */
function nodeOf(n, next) {
  const exits = (names) => Object.fromEntries(names.map((e) => [e, next]));
  switch (n % 5) {
    case 0:
      return {
        kind: 'say',
        says: { en: [`Sailing ${n} leaves at {{ flow.time_${n % 7} }}.`, `Boat ${n} is next.`], de: `Schiff ${n}.` },
        exits: exits(['said']),
      };
    case 1:
      return {
        kind: 'branch',
        cases: [{ exit: 'late', when: `flow.n > ${n} && known(flow.time_1)` }],
        exits: exits(['late', 'otherwise']),
      };
    case 2:
      return {
        kind: 'set',
        sets: [
          { into: 'flow.n', to: '{{ flow.n + 1 }}' },
          { into: `flow.time_${n % 7}`, to: `${n % 24}:30` },
        ],
        exits: exits(['done']),
      };
    case 3:
      return {
        kind: 'ask',
        says: `Question ${n}, {{ otherwise(visitor.first_name, "you") }}?`,
        expects: 'text',
        into: `flow.answer_${n}`,
        exits: exits(['answered', 'gave-up']),
      };
    default:
      return {
        kind: 'choice',
        says: `What about sailing ${n}?`,
        choices: [
          { id: 'take', says: `Take ${n}` },
          { id: 'skip', says: 'Skip it' },
        ],
        exits: exits(['take', 'skip', 'other']),
      };
  }
}

/** A bot document with so many flows and nodes in all. */
export function largeBot(flows, nodes, name = 'Long line') {
  const each = Math.ceil(nodes / flows);
  let n = 0;
  const table = {};
  for (let f = 0; f < flows; f++) {
    const count = Math.min(each, nodes - n);
    const list = {};
    for (let i = 0; i < count; i++, n++) list[`node-${n}`] = nodeOf(n, i + 1 < count ? `node-${n + 1}` : `node-${n - i}`);
    table[`flow-${f + 1}`] = { title: `Flow ${f + 1}`, begin: Object.keys(list)[0], nodes: list };
  }
  return {
    primrose: 1,
    bot: 'long-line',
    name,
    languages: ['en', 'de'],
    zone: 'Europe/Dublin',
    begins: 'flow-1',
    variables: { visitor: { first_name: { type: 'text', value: 'you' } } },
    flows: table,
  };
}
