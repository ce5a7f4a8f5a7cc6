/** Reporters that write results to a file, in the frameworks' own words: scripts, loaded by the frameworks. */

const WRITTEN = `const { writeFileSync } = require('node:fs')
const list = []
`;

export const MOCHA_REPORTER = `${WRITTEN}module.exports = function (runner, options) {
  const path = (one) => { const names = []; for (let at = one; at && !at.root; at = at.parent) names.unshift(at.title); return names }
  const add = (one, state, error) => {
    const names = path(one)
    list.push({ path: names.slice(0, -1), name: names[names.length - 1], state, durationMs: one.duration || 0, ...(error ? { message: String(error.message || error) } : {}) })
  }
  runner.on('pass', (one) => add(one, 'passed'))
  runner.on('pending', (one) => add(one, 'skipped'))
  runner.on('fail', (one, error) => add(one, 'failed', error || 'it failed'))
  runner.on('end', () => writeFileSync(options.reporterOptions.file, JSON.stringify(list)))
}
`;

export const JASMINE_REPORTER = `${WRITTEN}const names = []
const STATES = { passed: 'passed', failed: 'failed' }
module.exports = class {
  suiteStarted (suite) { names.push(suite.description) }
  suiteDone () { names.pop() }
  specDone (spec) {
    const [first] = spec.failedExpectations || []
    list.push({ path: [...names], name: spec.description, state: STATES[spec.status] || 'skipped', durationMs: spec.duration || 0, ...(first ? { message: first.message } : {}) })
  }
  jasmineDone () { writeFileSync(process.env.ANVIL_RESULTS, JSON.stringify(list)) }
}
`;
