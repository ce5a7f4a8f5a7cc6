// `npm run fidelity`: all pairs of statements and all fixtures of the language, of which `npm test` runs a part.
process.env.ANVIL_WHOLE = '1';
process.argv.push('test/pairs.test.ts', 'test/fixtures.test.ts', 'test/styles.test.ts', 'test/example-styles.test.ts');
await import('./test.mjs');
