/**
 * Published packages whose archives hold their own tests.
 *
 * `tests`: a file, or a folder of them; `skip`: files that need what is not
 * there (a network, a build, another shell) or that never print the same twice;
 * `needs`: what the tests require beside what the package itself does;
 * `globals`: the tests expect a runner's globals, which a file of ours gives them.
 */
const TAPE = { tape: '5.10.2' };
const VALUES = {
  ...TAPE,
  'for-each': '0.3.5',
  'object-inspect': '1.13.4',
  'es-value-fixtures': '1.7.1',
  'has-tostringtag': '1.0.2',
  'has-symbols': '1.1.0',
};

export const packages = [
  { name: '@fastify/deepmerge', version: '3.2.4', tests: 'test', needs: TAPE },
  { name: '@fastify/error', version: '4.3.0', tests: 'test' },
  { name: '@fastify/forwarded', version: '3.1.2', tests: 'test' },
  { name: '@fastify/merge-json-schemas', version: '0.2.2', tests: 'test' },
  { name: '@fastify/proxy-addr', version: '5.1.3', tests: 'test' },
  {
    name: 'array.prototype.flat',
    version: '1.3.3',
    tests: 'test',
    needs: { ...TAPE, 'has-strict-mode': '1.1.0', 'function-bind': '1.1.2' },
  },
  { name: 'atomic-sleep', version: '1.0.0', tests: 'test.js', needs: TAPE },
  { name: 'avvio', version: '9.3.1', tests: 'test', skip: ['plugin-timeout.test.js', 'plugin-timeout-await.test.js'] },
  { name: 'busboy', version: '1.6.0', tests: 'test' },
  { name: 'cborg', version: '6.1.5', tests: 'test', globals: true, needs: { chai: '6.3.0', 'ipld-garbage': '5.0.0' } },
  { name: 'concat-map', version: '0.0.2', tests: 'test', needs: TAPE },
  { name: 'deep-is', version: '0.1.4', tests: 'test', needs: TAPE },
  {
    name: 'define-data-property',
    version: '1.1.4',
    tests: 'test',
    needs: { ...VALUES, hasown: '2.0.2', 'object.getownpropertydescriptors': '2.1.9', 'reflect.ownkeys': '1.1.6' },
  },
  { name: 'defined', version: '1.0.1', tests: 'test', needs: TAPE },
  { name: 'desm', version: '1.3.1', tests: 'test.js', needs: TAPE },
  { name: 'dotignore', version: '0.1.2', tests: 'test', needs: TAPE },
  { name: 'duplexer', version: '0.1.2', tests: 'test', needs: { ...TAPE, through: '2.3.8' } },
  {
    name: 'es-to-primitive',
    version: '1.3.4',
    tests: 'test',
    needs: { ...VALUES, 'object-is': '1.1.6', 'function.prototype.name': '1.2.0' },
  },
  { name: 'fast-json-stable-stringify', version: '2.1.0', tests: 'test', needs: TAPE },
  { name: 'fast-uri', version: '4.2.4', tests: 'test', needs: { ...TAPE, ajv: '8.20.0' } },
  { name: 'fastq', version: '1.20.3', tests: 'test', needs: TAPE },
  { name: 'find-my-way', version: '9.10.2', tests: 'test', needs: { rfdc: '1.4.1', proxyquire: '2.1.3' } },
  { name: 'for-each', version: '0.3.5', tests: 'test', needs: TAPE },
  { name: 'function-bind', version: '1.1.2', tests: 'test', needs: TAPE },
  { name: 'has-symbols', version: '1.1.0', tests: 'test', needs: TAPE },
  { name: 'internal-slot', version: '1.1.0', tests: 'test', needs: VALUES },
  { name: 'is-arguments', version: '1.2.0', tests: 'test', needs: VALUES },
  {
    name: 'is-callable',
    version: '1.2.7',
    tests: 'test',
    needs: {
      ...VALUES,
      'available-typed-arrays': '1.0.7',
      'make-generator-function': '2.1.0',
      'make-arrow-function': '1.2.0',
      'make-async-function': '1.0.0',
    },
  },
  { name: 'is-regex', version: '1.2.1', tests: 'test', needs: VALUES },
  { name: 'json-schema-ref-resolver', version: '3.0.1', tests: 'test' },
  { name: 'json-stable-stringify', version: '1.3.0', tests: 'test', needs: TAPE },
  { name: 'jsonparse', version: '1.3.1', tests: 'test', needs: TAPE },
  { name: 'minimist', version: '1.2.8', tests: 'test', needs: TAPE },
  { name: 'on-exit-leak-free', version: '2.1.2', tests: 'test', needs: { tap: '16.3.10' } },
  { name: 'process-warning', version: '5.1.1', tests: 'test' },
  {
    name: 'qs',
    version: '6.17.1',
    tests: 'test',
    needs: {
      ...VALUES,
      'has-property-descriptors': '1.0.2',
      'iconv-lite': '0.6.3',
      'mock-property': '1.1.0',
      'has-override-mistake': '1.0.1',
      'safer-buffer': '2.1.2',
      'has-proto': '1.2.0',
      'has-bigints': '1.1.0',
    },
  },
  { name: 'quick-format-unescaped', version: '4.0.4', tests: 'test' },
  {
    name: 'regexp.prototype.flags',
    version: '1.5.4',
    tests: 'test',
    needs: {
      ...VALUES,
      'has-strict-mode': '1.1.0',
      'functions-have-names': '1.2.3',
      hasown: '2.0.2',
      'available-regexp-flags': '1.0.4',
    },
  },
  {
    name: 'resolve',
    version: '2.0.0-next.7',
    tests: 'test',
    needs: { ...TAPE, 'mock-property': '1.1.0', 'array.prototype.map': '1.0.8', tap: '16.3.10' },
  },
  { name: 'reusify', version: '1.1.0', tests: 'test.js', needs: TAPE },
  { name: 'rfdc', version: '1.4.1', tests: 'test', needs: { tap: '16.3.10' } },
  { name: 'safe-regex2', version: '5.1.2', tests: 'test' },
  { name: 'secure-json-parse', version: '4.1.1', tests: 'test', needs: TAPE },
  { name: 'side-channel', version: '1.1.1', tests: 'test', needs: VALUES },
  {
    name: 'sonic-boom',
    version: '5.0.2',
    tests: 'test',
    needs: { proxyquire: '2.1.3', '@sinonjs/fake-timers': '15.5.0' },
  },
  { name: 'split2', version: '4.2.0', tests: 'test.js', needs: { ...TAPE, 'callback-stream': '1.1.0' } },
  { name: 'streamsearch', version: '1.1.0', tests: 'test' },
  {
    name: 'string.prototype.trim',
    version: '1.2.11',
    tests: 'test',
    needs: {
      ...VALUES,
      'has-strict-mode': '1.1.0',
      'functions-have-names': '1.2.3',
      'string.prototype.repeat': '1.0.0',
    },
  },
  { name: 'text-table', version: '0.2.0', tests: 'test', needs: TAPE },
  { name: 'thread-stream', version: '4.2.1', tests: 'test', skip: ['ts-node-fallback.test.js'] },
  { name: 'through', version: '2.3.8', tests: 'test', needs: { ...TAPE, from: '0.1.7', 'stream-spec': '0.3.6' } },
  { name: 'traverse', version: '0.6.11', tests: 'test', needs: VALUES },
  { name: 'wordwrap', version: '1.0.0', tests: 'test', needs: TAPE },
];

/** What runs with the tests. */
export const QUICK = ['desm', 'fastq', 'is-regex', 'reusify', 'split2'];
