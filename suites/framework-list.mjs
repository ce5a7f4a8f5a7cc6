/**
 * Published packages whose archives hold tests of the common frameworks. `tests`: files or folders of them; `skip`:
 * parts of paths that are no tests, or need what is not there; `needs`: what tests ask for beside the package's own.
 */
const JEST = { name: 'jest', version: '30.5.2' };
const VITEST = { name: 'vitest', version: '4.1.12' };
const MOCHA = { name: 'mocha', version: '11' };
const JASMINE = { name: 'jasmine', version: '5' };

export const projects = [
  { name: 'fraction.js', version: '5.3.4', framework: MOCHA, tests: 'tests' },
  { name: 'complex.js', version: '2.4.3', framework: MOCHA, tests: 'tests' },
  {
    name: 'flyd',
    version: '0.2.8',
    framework: MOCHA,
    tests: ['test', 'module'],
    skip: ['browsertest'],
    needs: { ramda: '^0.26', 'transducers.js': '0.3.x', bluebird: '^3', sinon: '^1.17' },
  },
  {
    name: 'lunr',
    version: '2.3.9',
    framework: MOCHA,
    tests: 'test',
    skip: ['perf', 'env', 'fixtures', 'test_helper'],
    needs: { chai: '^4' },
    script: 'mocha -u tdd -r ./test/test_helper.js test',
    args: ['-u', 'tdd', '-r', './test/test_helper.js'],
  },
  {
    name: 'immutable-ops',
    version: '0.7.0',
    framework: MOCHA,
    tests: 'lib/test',
    needs: {
      chai: '^4',
      sinon: '^1.17',
      'sinon-chai': '^2',
      ramda: '^0.19',
      '@babel/runtime': '^7',
      'deep-freeze': '0.0.1',
    },
  },
  {
    name: 'jsonpath',
    version: '1.3.0',
    framework: MOCHA,
    tests: 'test',
    skip: ['data', 'helper'],
    script: 'mocha -u tdd test',
    args: ['--ui', 'tdd'],
  },
  { name: 'deep-diff', version: '1.0.2', framework: MOCHA, tests: 'test/tests.js', needs: { 'expect.js': '^0.3' } },
  { name: 'binary-search-tree', version: '0.2.6', framework: MOCHA, tests: 'test', needs: { chai: '^1' } },
  { name: 'damerau-levenshtein', version: '1.0.8', framework: MOCHA, tests: 'test' },
  { name: 'aphrodite', version: '2.4.0', framework: MOCHA, tests: 'tests', needs: { chai: '^4', jsdom: '^16' } },
  { name: 'zod', version: '4.6.7', framework: VITEST, tests: ['src/v4/classic/tests', 'src/v4/core/tests'], most: 60 },
  { name: 'devalue', version: '6.0.3', framework: VITEST, tests: 'src' },
  { name: 'wonka', version: '6.3.6', framework: VITEST, tests: 'src/__tests__' },
  { name: 'ngraph.graph', version: '20.1.2', framework: VITEST, tests: 'test' },
  {
    name: 'jest-mock-extended',
    version: '4.0.1',
    framework: JEST,
    tests: 'lib',
    skip: ['example', 'index.js', 'lib/Mock.js', 'lib/Matchers.js', 'CalledWithFn.js'],
  },
  { name: 'accounting', version: '0.4.1', framework: JASMINE, tests: 'tests/jasmine/core' },
  {
    name: 'card-validator',
    version: '10.0.4',
    framework: JEST,
    tests: 'src/__tests__',
    needs: { 'ts-jest': '^29', typescript: '^5', '@types/jest': '^30' },
    files: { 'jest.config.json': '{ "preset": "ts-jest", "testMatch": ["**/__tests__/**"] }' },
  },
  { name: 'number-to-words', version: '1.2.4', framework: JASMINE, tests: 'spec', skip: ['phantom', 'support'] },
  { name: 'rematch', version: '0.1.3', framework: JASMINE, tests: 'spec' },
  {
    name: 'nerdamer',
    version: '1.1.13',
    framework: JASMINE,
    tests: 'spec',
    skip: ['support', 'helpers', 'test_helper'],
  },
  {
    name: 'planck-js',
    version: '1.3.0',
    framework: VITEST,
    tests: 'src/__test__',
    needs: { sinon: '^17' },
    files: { 'vite.config.mts': 'export default {}' },
  },
  { name: 'later', version: '1.2.0', framework: MOCHA, tests: 'test', needs: { should: '^3' }, most: 30 },
  { name: 'roman-numerals', version: '0.3.2', framework: MOCHA, tests: 'test', needs: { should: '^3' } },
  {
    name: 'vec3',
    version: '0.2.0',
    framework: JEST,
    tests: 'test/test.js',
    files: { 'jest.config.json': '{ "testMatch": ["**/test/*.js"] }' },
  },
];
