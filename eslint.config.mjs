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

/** Fields of a class, those that its constructor declares included. */
const maxFields = {
  create: (context) => ({
    ClassBody({ body, parent }) {
      const constructor = body.find((member) => member.kind === 'constructor');
      const declared = constructor?.value.params.filter((param) => param.type === 'TSParameterProperty') ?? [];
      const fields = body.filter((member) => member.type === 'PropertyDefinition').length + declared.length;
      const [most] = context.options;
      if (fields > most) context.report({ node: parent, message: `The class has ${fields} fields; at most ${most}.` });
    },
  }),
  meta: { schema: [{ type: 'integer' }] },
};

export default tseslint.config(
  { ignores: ['dist/', 'editors/*/dist/', 'node_modules/', 'coverage/', 'examples/tolls/broken.ts', 'test/programs/'] },
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
    plugins: { ours: { rules: { 'max-fields': maxFields } } },
    rules: {
      'ours/max-fields': ['error', 12],
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
          selector: `NewExpression[callee.name='${name}'], MemberExpression[object.name='${name}'][property.name!='prototype']`,
          message: `A program may replace ${name}: use ${copy} of originals.ts.`,
        })),
      ],
    },
  },
  {
    files: ['examples/**', 'templates/**'],
    rules: { '@typescript-eslint/no-unused-vars': 'off', '@typescript-eslint/no-unused-expressions': 'off' },
  },
);
