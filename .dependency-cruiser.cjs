/** The dependency rule and "no import cycle", over files. Type-only imports vanish when compiled and may point back. */
const own = (name) => `^packages/${name}/src`;
module.exports = {
  forbidden: [
    { name: 'no-cycle', severity: 'error', from: {}, to: { circular: true } },
    { name: 'core-alone', severity: 'error', from: { path: own('core') }, to: { path: '^packages/(?!core)' } },
    { name: 'core-no-io', severity: 'error', from: { path: own('core') }, to: { dependencyTypes: ['core'] } },
    { name: 'contract-on-core', severity: 'error', from: { path: own('contract') }, to: { path: '^packages/(?!core|contract)' } },
    {
      name: 'server-apart',
      severity: 'error',
      from: { path: own('server') },
      to: { path: '^packages/(?!core|contract|server)' },
    },
    { name: 'cli-apart', severity: 'error', from: { path: own('cli') }, to: { path: '^packages/(?!core|contract|cli)' } },
    {
      name: 'console-apart',
      severity: 'error',
      from: { path: own('console') },
      to: { path: '^packages/(?!core|contract|console)' },
    },
    { name: 'web-chat-apart', severity: 'error', from: { path: own('web-chat') }, to: { path: '^packages/(?!web-chat)' } },
    { name: 'stand-ins-apart', severity: 'error', from: { path: own('stand-ins') }, to: { path: '^packages/(?!stand-ins)' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|test)/' },
    tsPreCompilationDeps: true,
    combinedDependencies: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
  },
};
