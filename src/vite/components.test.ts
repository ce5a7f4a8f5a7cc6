import type { DevEnvironment } from 'vite';
import { drawAgain, isComponent, keepsState, MadeFiles, servedComponent } from '#dist/vite/components.js';
import type { ModuleCode } from '#dist/wire/modules.js';

interface FakeNode {
  file: string;
  isSelfAccepting: boolean;
  importers: Set<FakeNode>;
  transformResult?: { code: string };
}

/** A server's graph of modules: who imports whom, and what is served. */
function environmentOf(nodes: FakeNode[]): { environment: DevEnvironment; reloaded: string[] } {
  const reloaded: string[] = [];
  const environment = {
    moduleGraph: { getModulesByFile: (file: string) => new Set(nodes.filter((node) => node.file === file)) },
    reloadModule: (node: FakeNode) => Promise.resolve(void reloaded.push(node.file)),
  } as unknown as DevEnvironment;
  return { environment, reloaded };
}

const node = (file: string, importers: FakeNode[] = [], isSelfAccepting = false): FakeNode => ({
  file,
  isSelfAccepting,
  importers: new Set(importers),
});

test('which files are components', () => {
  for (const file of ['Lock.tsx', 'Lock.jsx', 'Lock.vue', 'Lock.svelte', 'level.svelte.ts', 'level.svelte.js'])
    expect([file, isComponent(file)]).toEqual([file, true]);
  for (const file of ['lock.ts', 'lock.js', 'lock.mts', 'lock.vue.css', 'lock.json'])
    expect([file, isComponent(file)]).toEqual([file, false]);
});

test('a served module is found again below the lines that the server puts above it', () => {
  const ours = 'import "/page";const rise = 4;\nfunction fill() {\n  return rise;\n}\n';
  const served = `import.meta.hot = hot();\n// above\n${ours.replace('"/page"', '"/@page?t=4"')}`;
  const lock = { ...node('/canal/Lock.tsx'), transformResult: { code: served } };
  const at = ours.indexOf('return rise');
  const code = { file: lock.file, code: ours, generated: Int32Array.of(0, at), source: Int32Array.of(0, 7) };
  const found = servedComponent(environmentOf([lock]).environment, code as unknown as ModuleCode);
  expect(found.code).toBe(served);
  expect(served.slice(found.generated[1])).toMatch(/^return rise;/);
  expect([...found.source]).toEqual([0, 7]);
  // Another text than the one that is served says nothing of it.
  const other = { ...code, code: 'const a = 1;\nconst b = 2;\nconst c = 3;\n', generated: Int32Array.of(0) };
  expect(servedComponent(environmentOf([lock]).environment, other as unknown as ModuleCode).code).toBe(other.code);
});

test('what was written is known for the code that was made of it, of several versions', () => {
  const files = new MadeFiles();
  const map = (text: string): string =>
    JSON.stringify({ version: 3, names: [], sources: ['Lock.vue'], sourcesContent: [text], mappings: 'AAAA' });
  files.take('/canal/Lock.vue', 'const depth = 1;', map('<script>const depth = 1;</script>'));
  files.take('/canal/Lock.vue', 'const depth = 2;', map('<script>const depth = 2;</script>'));
  expect(files.written('/canal/Lock.vue', 'const depth = 1;')?.text).toContain('depth = 1');
  expect(files.written('/canal/Lock.vue', 'const depth = 2;')?.text).toContain('depth = 2');
  expect(files.written('/canal/Lock.vue', 'const depth = 3;')).toBeUndefined();
  for (let i = 0; i < 20; i++) files.take('/canal/Lock.vue', `const rise = ${i};`, map(`${i}`));
  expect(files.written('/canal/Lock.vue', 'const depth = 1;')).toBeUndefined();
  expect(files.written('/canal/Lock.vue', 'const rise = 19;')?.text).toBe('19');
});

test('components that use a patched module, over others between, are drawn again where they keep their state', () => {
  const page = node('/canal/main.ts');
  const lock = node('/canal/Lock.tsx', [page], true);
  const gate = node('/canal/Gate.tsx', [lock], true);
  const between = node('/canal/tolls.ts', [lock, gate]);
  const units = node('/canal/units.ts', [between]);
  between.importers.add(units);
  const { environment, reloaded } = environmentOf([page, lock, gate, between, units]);
  expect(drawAgain(environment, '/canal/units.ts', true)).toBe(' · 2 components drawn again');
  expect(reloaded.sort()).toEqual(['/canal/Gate.tsx', '/canal/Lock.tsx']);
  expect(drawAgain(environment, '/canal/units.ts', false)).toBe(' · components show it when they are drawn next');
  expect(drawAgain(environment, '/canal/main.ts', true)).toBe('');
  expect(reloaded).toHaveLength(2);
  expect(keepsState([{ name: 'vite:vue' }])).toBe(false);
  expect(keepsState([{ name: 'vite:css' }, { name: 'vite:react-refresh' }])).toBe(true);
});
