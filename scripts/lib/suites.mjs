// The tests as suites: each runs in a process of its own on a database of its own, side by side with others. The order is
// that in which they are begun: the longest first, so that none is left alone at the end.
const server = (...names) => names.map((n) => `packages/server/test/${n}.test.ts`);

/**
 * `quick` ones need neither database nor browser. `alone` ones measure how the service holds under load: nothing else begins
 * while one runs.
 */
export const SUITES = [
  { name: 'map', files: ['packages/console/test/map.test.ts'] },
  { name: 'faults', files: server('faults') },
  {
    name: 'console',
    files: ['draft-store', 'sheets', 'map-drawn', 'pages-drawn', 'console', 'understanding', 'keeping'].map(
      (n) => `packages/console/test/${n}.test.ts`,
    ),
  },
  {
    name: 'simulator',
    files: ['simulator', 'acting', 'details', 'conversation', 'agents'].map((n) => `packages/console/test/${n}.test.ts`),
  },
  { name: 'processes', files: server('processes', 'backup', 'start'), peers: true },
  {
    name: 'client',
    files: [
      'packages/cli/test/cli.test.ts',
      'packages/cli/test/talk.test.ts',
      'packages/cli/test/inbox.test.ts',
      'packages/cli/test/knowing.test.ts',
    ],
  },
  {
    name: 'talking',
    files: server(
      'talk',
      'acting',
      'conversing',
      'order',
      'store',
      'runs',
      'keeper',
      'parts',
      'outside',
      'wire',
      'stored',
      'wording',
      'understanding',
    ),
  },
  {
    name: 'keeping',
    files: [
      ...server('tables', 'starts', 'schedules'),
      'packages/console/test/memory.test.ts',
      'packages/console/test/knowing.test.ts',
      'packages/console/test/pages.test.ts',
      'packages/console/test/inbox.test.ts',
    ],
  },
  {
    name: 'agents',
    files: server('agents', 'memory', 'knowing', 'fetching', 'vectoring', 'pages', 'small-parts', 'written-files', 'read-files'),
  },
  { name: 'channels', files: server('ready-mappings', 'matrix', 'telephone', 'bot-api'), peers: true },
  // Against real servers of the open protocols, as Debian has them; see `npm run test:peers`.
  { name: 'peers', files: server('peers-xmpp', 'peers-irc', 'peers-mail'), peers: true },
  { name: 'trust', files: server('trust') },
  { name: 'known', files: server('page-tokens', 'signing-in', 'inbox') },
  { name: 'drawing-up', files: server('drafts', 'simulations', 'service', 'hostile') },
  {
    name: 'properties',
    files: ['properties', 'branches', 'resting'].map((n) => `packages/core/test/${n}.test.ts`),
    quick: true,
  },
  { name: 'web-chat', files: ['packages/web-chat/test/*.test.ts', 'packages/stand-ins/test/*.test.ts'] },
  {
    name: 'core',
    files: [
      'core/test/*',
      'contract/test/*',
      'cli/test/folder',
      'cli/test/every-command',
      'server/test/docs',
      'server/test/event-stream',
      'console/test/page-edits',
    ].map((n) => `packages/${n}.test.ts`),
    but: ['properties', 'branches', 'resting'].map((n) => `packages/core/test/${n}.test.ts`),
    quick: true,
  },
];
