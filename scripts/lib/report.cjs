// What one suite tells the run: its output as people read it, and a line of JSON for each test in the file that
// PRIMROSE_TEST_REPORT names.
const { appendFileSync } = require('node:fs');
const { reporters, Runner } = require('mocha');

const { EVENT_TEST_PASS, EVENT_TEST_FAIL, EVENT_TEST_PENDING } = Runner.constants;

const MOST_CHARACTERS = 600;

/** Why a test failed: the first lines of it, with what was expected and what came, as far as they go. */
function whyOf(error) {
  const said = (name) => `${name} ${String(JSON.stringify(error[name])).slice(0, MOST_CHARACTERS)}`;
  const compared = error !== null && typeof error === 'object' && 'actual' in error ? [said('expected'), said('actual')] : [];
  return [...compared, String(error?.stack ?? error)].join('\n');
}

module.exports = class extends reporters.Spec {
  constructor(runner, options) {
    super(runner, options);
    const tell = (as, test, why) => {
      const row = { as, title: test.fullTitle(), ms: test.duration ?? 0, why };
      appendFileSync(process.env.PRIMROSE_TEST_REPORT, `${JSON.stringify(row)}\n`);
    };
    runner.on(EVENT_TEST_PASS, (test) => tell('passed', test));
    runner.on(EVENT_TEST_FAIL, (test, error) => tell('failed', test, whyOf(error)));
    runner.on(EVENT_TEST_PENDING, (test) => tell('skipped', test));
  }
};
