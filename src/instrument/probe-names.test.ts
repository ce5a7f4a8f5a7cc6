import { parse as acorn } from 'acorn';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { compile } from '#dist/instrument/compile.js';
import { NAMES, namesWith, prefixFor, probeDeclarations } from '#dist/instrument/probe-names.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

/** Uses everything that a name of ours is needed for. */
const EVERYTHING = `
import helper, * as all from './helper.js';
import { one } from './one.js';
export let level = 0;
export const RATE = 4;
export class Gate extends helper.Base {
  #seal = 1;
  state = () => this.#seal;
  constructor(n) { super(n); this.n = n; }
  get open() { return this.n > level; }
  static make() { return new Gate(one(1)); }
}
export class Lock { rise = all.rise(); close() { return [this.rise, ...arguments]; } }
export default (n) => n + RATE;
export const fill = ({ n }, m = n, ...rest) => { const k = m * 2; return () => k + rest.length + n; };
export async function drain(list) {
  for await (const x of list) { if (x > level) level++; else level += await x; }
  for (let i = 0; i < 3; i++) { const inner = () => i; list.push(inner /*~ it() */); }
  try { while (level > 0) level -= 1; } catch (error) { console.log(error.message, all); }
  return list?.at(0) /*~*/ ?.toString() /*~ time: */;
}
const wide = list.map((x) => x /*~ when: it > 1 */ * 2) /*~ table: */;
const kept = helper.load() /*~ keep: */;
switch (level) { case one(2): level = kept; break; default: level = wide[0]; }
`;

test('no two names are the same, but those that never stand in one scope', () => {
  const apart = new Set([
    'slots slot',
    'mark relinked',
    'sample value',
    'keep fieldScope',
    'local loopLocal',
    'await parameter',
    'place classScope',
    'scope chainReached',
  ]);
  const entries = Object.entries(NAMES);
  for (const [i, [a, one]] of entries.entries())
    for (const [b, other] of entries.slice(i + 1)) {
      if (one.suffix !== other.suffix) continue;
      // With a number behind it, a name is another one.
      const numbered = 'numbered' in one !== 'numbered' in other;
      expect([`${a} ${b}`, numbered || apart.has(`${a} ${b}`)]).toEqual([`${a} ${b}`, true]);
    }
});

test('every name says what it is, and is a name of the language', () => {
  for (const { suffix, is } of Object.values(NAMES)) {
    expect(suffix).toMatch(/^[a-zA-Z]$/);
    expect(is.length).toBeGreaterThan(3);
  }
  expect(namesWith('$ua').counters).toBe('$uac');
  expect(probeDeclarations('$ua', 'x')).toMatch(/^const \{a:\$uaa,.*\}=x;$/);
});

test('a prefix is chosen that the text has not', () => {
  expect(prefixFor('let a')).toBe('$ua');
  expect(prefixFor('let $ua, $ua_')).toBe('$ua__');
});

const DEPTHS = ['off', 'counts', 'values'] as const;
const FORMS = ['linked', 'module'] as const;
describe.each(DEPTHS)('at depth %s', (depth) => {
  describe.each(FORMS)('as %s', (form) => {
    test.each([
      [false, false],
      [false, true],
      [true, false],
      [true, true],
    ])('patchable: %s, in a cycle: %s: it parses, and declares no name twice', (patchable, cyclic) => {
      const outline = outlineOf(parse(EVERYTHING, { file: 'canal.mjs', packageType: 'module' }));
      const { code, prefix } = compile(outline, { depth, form, patchable, cyclic, translator: nodeTranslator });
      // A name that is declared twice in one scope does not parse.
      expect(() => acorn(code, { ecmaVersion: 'latest', sourceType: 'module' })).not.toThrow();
      const known = new Set(Object.values(NAMES).map(({ suffix }) => suffix as string));
      const used = new Set(
        [...code.matchAll(new RegExp(`\\${prefix}([A-Za-z]?)\\d*\\b`, 'g'))].map((match) => match[1]!),
      );
      expect([...used].filter((suffix) => !known.has(suffix))).toEqual([]);
    });
  });
});
