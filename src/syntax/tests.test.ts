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
    ['jest.enableAutomock()\nit()', 'line 1 replaces all modules (jest.enableAutomock)'],
    [
      "import { vi } from 'vitest'\n\nconst a = await vi.hoisted(async () => 1)",
      'line 3 waits before the imports are evaluated',
    ],
    ["jest.mock('./toll')\nit('a', () => {})", undefined],
    ["it('a', () => { jest.isolateModules(() => {}) })", undefined],
    ['/**\n * @vitest-environment jsdom\n */\nit()', undefined],
    ['/** @jest-environment ./canal.js */\nit()', 'its environment is ./canal.js'],
    ['// @jest-environment node\nit()', undefined],
    ["it('a', () => { jest.fn().mockReturnValue(1) })", undefined],
    ["const text = 'jest.mock(1)' // jest.mock()\nit(text)", undefined],
    ['const jest = { mock() {} }\nfunction f(vi: { mock(): void }) { vi.mock() }\nit()', undefined],
  ])('%j', (text, gap) => {
    expect(frameworkGap(outline(text))).toBe(gap);
  });
});
