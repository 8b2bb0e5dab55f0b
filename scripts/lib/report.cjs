// What one suite tells the run: its output as people read it, and a line of JSON for each test in the file that
// PRIMROSE_TEST_REPORT names.
const { appendFileSync } = require('node:fs');
const { reporters, Runner } = require('mocha');

const { EVENT_TEST_PASS, EVENT_TEST_FAIL, EVENT_TEST_PENDING } = Runner.constants;

module.exports = class extends reporters.Spec {
  constructor(runner, options) {
    super(runner, options);
    const tell = (as, test) => {
      const row = { as, title: test.fullTitle(), ms: test.duration ?? 0 };
      appendFileSync(process.env.PRIMROSE_TEST_REPORT, `${JSON.stringify(row)}\n`);
    };
    runner.on(EVENT_TEST_PASS, (test) => tell('passed', test));
    runner.on(EVENT_TEST_FAIL, (test) => tell('failed', test));
    runner.on(EVENT_TEST_PENDING, (test) => tell('skipped', test));
  }
};
