// `npm run fidelity`: all of what `npm test` takes in turns, and what changes with Node alone.
process.env.ANVIL_WHOLE = '1';
process.argv.push(
  ...['pairs', 'fixtures', 'styles', 'example-styles', 'packages', 'typescript', 'suites', 'platform', 'elsewhere'].map(
    (name) => `test/${name}.test.ts`,
  ),
);
await import('./test.mjs');
