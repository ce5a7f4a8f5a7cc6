import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import vm from 'node:vm';
import { transformSync } from 'esbuild';
import { format } from 'prettier';
import { instrument } from 'usher-anvil/instrument';
import { inTurn, withProbes } from './harness.js';

const require = createRequire(import.meta.url);

type Loader = (file: string) => string;

/** Loads a CommonJS package whose files are given through `transform`. */
function load(entry: string, transform: Loader): unknown {
  const loaded = new Map<string, { exports: unknown }>();
  const from = (file: string): unknown => {
    const known = loaded.get(file);
    if (known) return known.exports;
    const module = { exports: {} as unknown };
    loaded.set(file, module);
    const inner = createRequire(file);
    const run = vm.runInThisContext(`(function(exports,require,module){${transform(file)}\n})`, { filename: file }) as (
      ...args: unknown[]
    ) => void;
    run.call(
      module.exports,
      module.exports,
      (name: string) => (name.startsWith('.') ? from(inner.resolve(name)) : inner(name)),
      module,
    );
    return module.exports;
  };
  return from(entry);
}

const acornFile = join(dirname(require.resolve('acorn')), 'acorn.js');
const decimalFile = join(dirname(require.resolve('decimal.js')), 'decimal.js');
const beautifyFile = require.resolve('js-beautify/js/lib/beautify.js');
const sources = [acornFile, decimalFile, beautifyFile].map((file) => readFileSync(file, 'utf8'));

const packages: [string, string, (loaded: never) => unknown][] = [
  [
    'a parser: acorn, parsing three libraries',
    acornFile,
    (acorn: { parse(text: string, options: object): unknown }) =>
      sources.map((text) => JSON.stringify(acorn.parse(text, { ecmaVersion: 2022, locations: true }))),
  ],
  [
    'a text formatter: js-beautify, formatting itself',
    beautifyFile,
    ({ js_beautify: beautify }: { js_beautify(text: string, options: object): string }) =>
      sources.slice(1).map((text) => beautify(text, { indent_size: 3, brace_style: 'expand', wrap_line_length: 80 })),
  ],
  [
    'a numeric library: decimal.js, sums, roots, powers and logarithms',
    decimalFile,
    (Decimal: new (value: string | number) => Record<string, (...args: unknown[]) => unknown>) => {
      const results: string[] = [];
      for (let i = 1; i < 60; i++) {
        const n = new Decimal(`${i}.${i * 7}`);
        for (const method of ['sqrt', 'cbrt', 'ln', 'exp', 'sin', 'tan', 'neg', 'floor'] as const)
          results.push(String(n[method]!()));
        results.push(String(n.pow!(i / 3)), String(n.div!(7)), String(n.toFraction!(1000)), String(n.toBinary!()));
      }
      return results;
    },
  ],
];

test.each(packages)('%s, gives identical results under full instrumentation', (_name, entry, use) => {
  const plain = use(load(entry, (file) => readFileSync(file, 'utf8')) as never);
  let sites = 0;
  const instrumented = load(entry, (file) => {
    const result = instrument(readFileSync(file, 'utf8'), {
      file: file.replace(/\.m?js$/, '.cjs'),
      depth: 'values',
      form: 'script',
    });
    expect(result.problems).toEqual([]);
    sites += result.sites.length;
    withProbes(result);
    return result.code;
  });
  const traced = use(instrumented as never);
  expect(sites).toBeGreaterThan(2000);
  expect(JSON.stringify(traced) === JSON.stringify(plain)).toBe(true);
});

test.each(packages)('%s, gives identical results with patch points', (_name, entry, use) => {
  const plain = use(load(entry, (file) => readFileSync(file, 'utf8')) as never);
  const live = load(
    entry,
    (file) =>
      instrument(readFileSync(file, 'utf8'), {
        file: file.replace(/\.m?js$/, '.cjs'),
        depth: 'off',
        form: 'script',
        patchable: true,
      }).code,
  );
  expect(JSON.stringify(use(live as never)) === JSON.stringify(plain)).toBe(true);
});

const written: Record<string, (text: string) => Promise<string>> = {
  'without semicolons': (text) => format(text, { parser: 'babel', semi: false }),
  'with CRLF': (text) => Promise.resolve(text.replace(/\r?\n/g, '\r\n')),
  'on one line': (text) => Promise.resolve(transformSync(text, { minify: true, keepNames: true }).code),
};

describe.each(inTurn(Object.entries(written), 3))('libraries written anew %s', (_style, write) => {
  test.each(packages)('%s, gives identical results', async (_name, entry, use) => {
    const texts = new Map<string, string>();
    const text = (file: string): string => texts.get(file) ?? readFileSync(file, 'utf8');
    texts.set(entry, await write(readFileSync(entry, 'utf8')));
    const plain = JSON.stringify(use(load(entry, text) as never));
    for (const [depth, patchable] of [
      ['values', false],
      ['off', true],
    ] as const) {
      const ours = load(entry, (file) => {
        const result = instrument(text(file), {
          file: file.replace(/\.m?js$/, '.cjs'),
          depth,
          form: 'script',
          patchable,
        });
        expect(result.problems).toEqual([]);
        if (depth === 'values') withProbes(result);
        return result.code;
      });
      expect(JSON.stringify(use(ours as never)) === plain).toBe(true);
    }
  });
});
