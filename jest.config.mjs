export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/src', '<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'es6' } },
    ],
  },
  // Tests drive what is built: the package's public face and, for single layers, their compiled files.
  moduleNameMapper: {
    '^usher-anvil$': '<rootDir>/dist/hosts/node/index.js',
    '^usher-anvil/instrument$': '<rootDir>/dist/hosts/node/instrument.js',
    '^usher-anvil/record$': '<rootDir>/dist/record/index.js',
    '^#dist/(.*)$': '<rootDir>/dist/$1',
    '^(\\.{1,2}/(?:.*/)?(?:harness|programs|engine-debugger|walked-programs|statements|editor-client|person|typescript-cases|browser|mark-everything|test-files|framework-files|framework-projects|registry|stage|state|window|edits/catalogue|hostile/pads|hostile/pages|hostile/published|hostile/published-pages|reading-pads|holding-cases|pausing-cases|site|held-state|serves-state|executed-statements|welcome|languages|publishing|alone-page))\\.js$':
      '$1',
  },
  // Limits are there to end what hangs: a busy machine may take many times as long as a quiet one.
  testTimeout: 180_000,
  setupFilesAfterEnv: ['<rootDir>/test/again.mjs'],
  maxWorkers: 2,
  openHandlesTimeout: 0,
};
