import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { replacedModules, statementsAhead } from '#dist/syntax/replaced-modules.js';

const outline = (text: string, file = 'toll.test.ts') => outlineOf(parse(text, { file }));

describe('statements that run before the imports', () => {
  test.each<[string, string[]]>([
    ["import { vi } from 'vitest'\nconst a = 1\nvi.mock('./toll')\nvi.doMock('./gate')", ["vi.mock('./toll')"]],
    ["import { vi as v } from 'vitest'\nv.mock('./toll')", ["v.mock('./toll')"]],
    ["jest.unmock('./a').mock('./toll', () => 1)", ["jest.unmock('./a').mock('./toll', () => 1)"]],
    ['const { a } = vi.hoisted(() => ({ a: 1 })), b = 2', ['const { a } = vi.hoisted(() => ({ a: 1 })), b = 2']],
    ["it('a', () => { vi.mock('./toll') })", []],
    ["const vi = { mock() {} }\nvi.mock('./toll')", []],
    ["jest.fn('./toll')\njest['mock']('./a')", []],
  ])('%j', (text, wanted) => {
    expect(statementsAhead(outline(text)).map(({ start, end }) => text.slice(start, end))).toEqual(wanted);
  });
});

describe('modules that are replaced', () => {
  test('are those that are named, wherever, with what is ahead', () => {
    const found = replacedModules(
      outline(`import { vi } from 'vitest'
vi.mock('./toll', () => ({}))
vi.mock(import('./gate'), { spy: true })
it('a', async () => {
  vi.doMock<typeof import('./a')>("./weir")
  await vi.importActual('./toll')
  vi.mock(name)
})`),
    );
    expect(found.map(({ specifier, ahead }) => [specifier, ahead])).toEqual([
      ['./toll', true],
      ['./gate', true],
      ['./weir', false],
      ['./toll', false],
    ]);
  });
});
