import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { frameworkGap, frameworkOf, testNamesOf } from '#dist/syntax/tests.js';

const outline = (text: string, file = 'toll.test.ts') => outlineOf(parse(text, { file }));

describe('the framework of a file', () => {
  test.each<[string, string, string | undefined]>([
    ['an import', "import { it } from 'vitest'\nit('a', () => {})", 'vitest'],
    ['a require', "const { it } = require('@jest/globals')\nit('a', () => {})", 'jest'],
    ['an import of types alone', "import type { Mock } from 'vitest'\nconst a: Mock = 1", undefined],
    ['names that nobody declares', "describe('a', () => { it('b', () => {}) })", 'globals'],
    ['the platform’s own', "import test from 'node:test'\ntest('a', () => {})", undefined],
    ['names of the file itself', 'function test(a: string) { return a }\ntest("a")', undefined],
    ['names that an inner scope binds', 'const run = (test: () => void) => test()', undefined],
    ['a name that other code has too', 'context.fillRect(0, 0, 1, 1)', undefined],
  ])('%s', (_what, text, name) => {
    expect(frameworkOf(outline(text))).toBe(name);
  });

  test('names that declare are imported, required or free', () => {
    const names = testNamesOf(
      outline(
        "import { test as check } from 'vitest'\nconst { suite } = require('node:test')\nxit('a')\nfit('b')\ncheck('c')",
      ),
    );
    expect([...names].sort()).toEqual(['check', 'fit', 'suite', 'xit']);
  });
});

describe('what needs the framework itself', () => {
  test.each<[string, string | undefined]>([
    ["jest.mock('./toll')\nit('a', () => {})", 'line 1 replaces modules (jest.mock)'],
    ["import { vi } from 'vitest'\n\nvi\n  .doMock('./toll')", 'line 3 replaces modules (vi.doMock)'],
    ["it('a', () => { jest.isolateModules(() => {}) })", 'line 1 replaces modules (jest.isolateModules)'],
    ["vi.mock<typeof import('./toll')>('./toll')", 'line 1 replaces modules (vi.mock)'],
    ['/**\n * @vitest-environment jsdom\n */\nit()', 'its environment is jsdom'],
    ['// @jest-environment node\nit()', undefined],
    ["it('a', () => { jest.fn().mockReturnValue(1) })", undefined],
    ["const text = 'jest.mock(1)' // jest.mock()\nit(text)", undefined],
    ['const jest = { mock() {} }\nfunction f(vi: { mock(): void }) { vi.mock() }\nit()', undefined],
  ])('%j', (text, gap) => {
    expect(frameworkGap(outline(text))).toBe(gap);
  });
});
