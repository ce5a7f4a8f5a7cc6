import tseslint from 'typescript-eslint';

/**
 * What a program can replace, and code that runs beside it in one realm must not call by its name:
 * `src/runtime/originals.ts` has each as it was before the program began.
 */
const ORIGINALS = [
  ['Promise', 'PromiseCopy'],
  ['WeakRef', 'WeakRefCopy'],
  ['AbortController', 'AbortControllerCopy'],
];

/** Files that are longer than what is asked, until they are moved: this list only gets shorter. */
const LONG = [
  'src/cli/listing.ts',
  'src/cli/prompt.ts',
  'src/hosts/node/**/*.ts',
  'src/instrument/compile.ts',
  'src/record/*.ts',
  'src/runtime/*.ts',
  'src/runtime/modules/registry.ts',
  'src/session/*.ts',
  'src/session/live/session.ts',
  'src/syntax/*.ts',
  'src/views/*.ts',
  'src/workbench/*.tsx',
];

export default tseslint.config(
  { ignores: ['dist/', 'node_modules/', 'coverage/', 'examples/tolls/broken.ts', 'test/programs/'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/no-this-alias': 'off',
      'no-console': 'off',
      eqeqeq: ['error', 'always'],
      'prefer-const': 'error',
    },
  },
  {
    files: ['src/**/*.ts', 'src/**/*.tsx'],
    ignores: ['**/*.test.ts'],
    rules: {
      'max-lines': ['error', { max: 400 }],
      'max-lines-per-function': ['error', { max: 100 }],
    },
  },
  {
    files: ['src/runtime/**/*.ts'],
    ignores: ['**/*.test.ts', 'src/runtime/originals.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...ORIGINALS.map(([name, copy]) => ({
          selector: `NewExpression[callee.name='${name}'], MemberExpression[object.name='${name}']`,
          message: `A program may replace ${name}: use ${copy} of originals.ts.`,
        })),
      ],
    },
  },
  {
    files: ['examples/**'],
    rules: { '@typescript-eslint/no-unused-vars': 'off', '@typescript-eslint/no-unused-expressions': 'off' },
  },
);
