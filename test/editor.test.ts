/** An editor over the open protocol: pads and files of a project. */
import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { CodeAction, TextEdit, WorkspaceEdit } from 'vscode-languageserver-protocol/node';
import { type EditorClient, editorOn, uriOf } from './editor-client.js';
import { eventually, folder } from './harness.js';

const TOLLS = `import { rate } from './rates.mjs'

export function toll(length, night = false) {
  const full = length * rate
  if (length > 90) return never(length)
  return night ? full * 2 : full
}

function never(length) {
  return length
}

const tolls = [12, 14, 20].map((length) => toll(length))
const wren = { name: 'Wren', cargo: [{ kind: 'lime', tonnes: 10 }] }
console.log(tolls)
`;
const FILES = { 'tolls.mjs': TOLLS, 'rates.mjs': 'export const rate = 4\n' };

/** The text with the edits of an action in it. */
function edited(text: string, edit: WorkspaceEdit, uri: string): string {
  const lines = text.split('\n');
  const offset = ({ line, character }: TextEdit['range']['start']): number =>
    lines.slice(0, line).reduce((sum, one) => sum + one.length + 1, 0) + character;
  return [...edit.changes![uri]!]
    .reverse()
    .reduce(
      (now, { range, newText }) => now.slice(0, offset(range.start)) + newText + now.slice(offset(range.end)),
      text,
    );
}

async function ran(files: Record<string, string> = FILES): Promise<{ editor: EditorClient; dir: string; uri: string }> {
  const { editor, dir } = await editorOn(files);
  const uri = editor.open(join(dir, 'tolls.mjs'), files['tolls.mjs']!, 'javascript');
  await editor.command('usher-anvil.run', { uri });
  await editor.hints(uri);
  return { editor, dir, uri };
}

test('a file runs when it is told to, and from then on at each edit', async () => {
  const { editor, dir } = await editorOn({ ...FILES, 'mark.mjs': '' });
  const text = `${TOLLS}import { writeFileSync } from 'node:fs'\nwriteFileSync(new URL('./mark.mjs', import.meta.url), 'ran')\n`;
  const uri = editor.open(join(dir, 'tolls.mjs'), text, 'javascript');
  expect(await editor.hints(uri)).toEqual([]);
  expect((await editor.lenses(uri)).map(({ title }) => title)).toEqual([
    'run it here, at each edit',
    'try it in a pad',
  ]);
  editor.edit(uri, '[12, 14, 20]', '[12, 14]');
  expect(await editor.hints(uri)).toEqual([]);
  expect(readFileSync(join(dir, 'mark.mjs'), 'utf8')).toBe('');
  await editor.press(uri, 'run it here');
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 56]');
  editor.edit(uri, '[12, 14]', '[12, 15]');
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 60]');
  await editor.press(uri, 'run it no more');
  expect(await editor.hints(uri)).toEqual([]);
  expect(await editor.end()).toBe(0);
});

test('what was run once runs again when it is opened, until it is told to run no more', async () => {
  const { editor, dir, uri } = await ran();
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 56, 80]');
  await editor.end();
  const again = await editorOn({}, { roots: [dir], env: { XDG_STATE_HOME: editor.state } });
  again.editor.open(join(dir, 'tolls.mjs'), TOLLS, 'javascript');
  expect(await again.editor.shown(uri, 'const tolls')).toBe('│ [48, 56, 80]');
  await again.editor.press(uri, 'run it no more');
  await again.editor.end();
  const last = await editorOn({}, { roots: [dir], env: { XDG_STATE_HOME: editor.state } });
  last.editor.open(join(dir, 'tolls.mjs'), TOLLS, 'javascript');
  expect(await last.editor.hints(uri)).toEqual([]);
  await last.editor.end();
});

test('no hint is older than the text it stands beside', async () => {
  const { editor, uri } = await ran();
  for (let rate = 1; rate <= 25; rate++) {
    editor.edit(uri, /\[12, 14, \d+\]/.exec(editor.textOf(uri))![0], `[12, 14, ${rate}]`);
    expect(await editor.shown(uri, 'const tolls')).toBe(`│ [48, 56, ${rate * 4}]`);
  }
  // Several edits before anything is asked, and a question that is taken back.
  for (let rate = 30; rate < 40; rate++) editor.edit(uri, /14, \d+/.exec(editor.textOf(uri))![0], `14, ${rate}`);
  const range = { start: { line: 0, character: 0 }, end: { line: 50, character: 0 } };
  await editor.connection.sendRequest('textDocument/inlayHint', { textDocument: { uri }, range });
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 56, 156]');
  await editor.end();
});

test('texts with other line ends, signs of several units and without semicolons', async () => {
  const text = "const name = '🚢 Süd'\r\nconst length = name.length\r\n[1, 2].forEach((one) => one * 2)\r\n".replace(
    '\r\n[1',
    '\r\n;[1',
  );
  const { editor, dir } = await editorOn({ 'ship.mjs': text });
  const uri = editor.open(join(dir, 'ship.mjs'), text, 'javascript');
  await editor.command('usher-anvil.run', { uri });
  expect(await editor.shown(uri, 'const length')).toBe('│ 6');
  editor.edit(uri, 'Süd', 'Süden');
  expect(await editor.shown(uri, 'const length')).toBe('│ 8');
  const [hint] = (await editor.hints(uri)).filter(({ position }) => position.line === 1);
  expect(hint!.position.character).toBe('const length = name.length'.length);
  await editor.end();
});

test('a text that does not parse keeps what was before, with another sign, and says what is wrong', async () => {
  const { editor, uri } = await ran();
  editor.edit(uri, 'length * rate', 'length * ');
  expect(await editor.shown(uri, 'const tolls')).toBe('╎ [48, 56, 80]');
  expect(await editor.behind(uri, 'length * ')).not.toContain('48');
  const [problem] = await editor.problems(uri, (list) => list.length > 0);
  expect(problem).toMatchObject({ severity: 1, source: 'usher-anvil', code: 'syntax' });
  editor.edit(uri, 'length * ', 'length * rate');
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 56, 80]');
  await editor.problems(uri, (list) => list.length === 0);
  await editor.end();
});

test('errors say what took part, and the way to them', async () => {
  const { editor, uri, dir } = await ran();
  editor.edit(uri, '[12, 14, 20]', '[12, 14, 95]');
  editor.edit(uri, '  return length\n', '  return length.draft.depth\n');
  const [problem] = await editor.problems(uri, (list) => list.length === 1);
  expect(problem!.message).toContain('depth');
  expect(problem!.range.start.line).toBe(editor.lineOf(uri, 'length.draft.depth'));
  const places = problem!.relatedInformation!.map(({ location, message }) => [location.range.start.line, message]);
  expect(places).toContainEqual([editor.lineOf(uri, 'return never'), 'toll']);
  // An error in a module stands there, also while nobody has it open.
  writeFileSync(join(dir, 'rates.mjs'), 'export const rate = new Error().missing.rate\n');
  await editor.problems(uriOf(join(dir, 'rates.mjs')), (list) => list.length === 1);
  await editor.problems(uri, (list) => list.length === 0);
  await editor.end();
});

test('marks that cannot be followed are warnings, packages that are not there can be added', async () => {
  const { editor, uri } = await ran();
  editor.edit(
    uri,
    'console.log(tolls)',
    "console.log(tolls) //~ slope: it\nimport { weir } from 'wenlow-weir'\nweir()",
  );
  const problems = await editor.problems(uri, (list) => list.length === 2);
  const mark = problems.find(({ code }) => code === 'E_MARK')!;
  expect(mark).toMatchObject({ severity: 2 });
  expect(mark.message).toContain('"slope:"');
  const missing = problems.find(({ code }) => code === 'resolve')!;
  const actions = await editor.actions(uri, "'wenlow-weir'", [missing]);
  expect(actions.map(({ title }) => title)).toEqual(['Add the package wenlow-weir']);
  expect(actions[0]!.command).toMatchObject({
    command: 'usher-anvil.add',
    arguments: [{ uri, package: 'wenlow-weir' }],
  });
  await editor.end();
});

test('the card of a value: what it is now, what is in it, what it was, of which kinds', async () => {
  const { editor, uri } = await ran();
  const card = await editor.hover(uri, 'full = ');
  expect(card).toContain('```js\nfull: 80\n```');
  expect(card).toContain('visit 3 of 3');
  expect(card).toContain('Types: `number`');
  expect(card).toContain('1: 48\n2: 56\n3: 80');
  expect(await editor.hover(uri, 'wren')).toContain("cargo: [{…}]\n  0: { kind: 'lime', tonnes: 10 }");
  expect(await editor.hover(uri, 'never(length) {')).toBe('');
  // What is in a value stays text.
  editor.edit(uri, "'Wren'", "'```\\n[click](command:evil) <b>'");
  const odd = await editor.hover(uri, 'wren');
  const [fence] = /^`+/.exec(odd)!;
  expect(fence.length).toBeGreaterThan(3);
  expect(odd.split('\n').filter((line) => /^`+$/.test(line.trim()))).toEqual([fence, fence]);
  const outside = odd.split(new RegExp(`^${fence}\\w*$`, 'm')).filter((_, i) => i % 2 === 0);
  expect(outside.join('')).not.toMatch(/click|<b>/);
  await editor.end();
});

test('functions with how often they ran, and what never did', async () => {
  const { editor, uri } = await ran();
  const symbols = await editor.symbols(uri);
  const details = symbols.map(({ name, detail }) => [name, detail]);
  expect(details).toContainEqual(['toll', '×3']);
  expect(details).toContainEqual(['never', 'never ran']);
  const { data } = await editor.tokens(uri);
  const lines = data
    .filter((_, i) => i % 5 === 0)
    .map((_, i, all) => all.slice(0, i + 1).reduce((sum, one) => sum + one, 0));
  expect(lines).toContain(editor.lineOf(uri, 'function never'));
  expect(lines).not.toContain(editor.lineOf(uri, 'function toll'));
  await editor.end();
});

test('a selected expression gets a mark, or becomes a test of what it gave', async () => {
  const { editor, uri } = await ran();
  const find = async (text: string, part: string): Promise<CodeAction> => {
    const found = (await editor.actions(uri, text)).find(({ title }) => title.includes(part))!;
    return found.edit ? found : editor.ask<CodeAction>('codeAction/resolve', found);
  };
  const mark = await find('length * rate', 'mark');
  expect(edited(TOLLS, mark.edit!, uri)).toContain('const full = length * rate //~\n');
  const put = await find('[12, 14, 20].map((length) => toll(length))', 'as a test');
  const tested = edited(TOLLS, put.edit!, uri);
  expect(tested).toContain('assert.deepEqual([12, 14, 20].map((length) => toll(length)), [48,56,80])');
  await expect(find('length * rate', 'as a test')).rejects.toThrow(/E_CANNOT_TRY/);
  expect(await editor.actions(uri, 'const full')).toEqual([]);
  await editor.end();
});

test('modules of a pad show its values, and what is typed in them counts before it is saved', async () => {
  const { editor, dir, uri } = await ran();
  await editor.hints(uri);
  const module = editor.open(join(dir, 'rates.mjs'), FILES['rates.mjs'], 'javascript');
  expect(await editor.shown(module, 'rate')).toBe('│ 4');
  expect((await editor.lenses(module))[0]!.title).toBe('runs as a module of tolls.mjs · run it here, at each edit');
  editor.edit(module, '4', '5');
  expect(await editor.shown(module, 'rate')).toBe('│ 5');
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [60, 70, 100]');
  // What was typed there and given up is not on disk.
  editor.close(module);
  await eventually(async () => (await editor.behind(uri, 'const tolls')) === '│ [48, 56, 80]');
  await editor.end();
});

test('modules of a pad that rests wake it, and of one that is closed show nothing', async () => {
  const { editor, dir, uri } = await ran({
    ...FILES,
    ...Object.fromEntries([1, 2, 3, 4, 5].map((i) => [`lock-${i}.mjs`, `const level = ${i}\n`])),
  });
  const module = editor.open(join(dir, 'rates.mjs'), FILES['rates.mjs'], 'javascript');
  await eventually(async () => (await editor.behind(module, 'rate')) === '│ 4');
  for (const i of [1, 2, 3, 4, 5]) {
    const other = editor.open(join(dir, `lock-${i}.mjs`), `const level = ${i}\n`, 'javascript');
    await editor.command('usher-anvil.run', { uri: other });
    expect(await editor.shown(other, 'const level')).toBe(`│ ${i}`);
  }
  editor.edit(module, '4', '6');
  await eventually(async () => (await editor.behind(uri, 'const tolls')) === '│ [72, 84, 120]');
  await eventually(async () => (await editor.behind(module, 'rate')) === '│ 6');
  // An edit that changes nothing leaves what stands there.
  editor.edit(module, '6', '6');
  expect(await editor.shown(module, 'rate')).toBe('│ 6');
  editor.close(uri);
  await eventually(async () => (await editor.hints(module)).length === 0);
  await editor.end();
});

test('texts without a file, files outside of every folder, and several folders', async () => {
  const { editor, dir } = await editorOn(FILES);
  const untitled = editor.open(
    'untitled:Untitled-1',
    "import { rate } from './rates.mjs'\nconst six = rate + 2\n",
    'javascript',
  );
  expect(await editor.hints(untitled)).toEqual([]);
  await editor.command('usher-anvil.run', { uri: untitled });
  expect(await editor.shown(untitled, 'const six')).toBe('│ 6');
  const other = folder({ 'far.ts': 'export {}\nconst far: number = 7\n' });
  const far = editor.open(join(other, 'far.ts'), 'export {}\nconst far: number = 7\n');
  await editor.command('usher-anvil.run', { uri: far });
  expect(await editor.shown(far, 'const far')).toBe('│ 7');
  // What is no program is none of ours.
  const notes = editor.open(join(dir, 'notes.md'), '# Locks\n', 'markdown');
  expect(await editor.hints(notes)).toEqual([]);
  await expect(editor.command('usher-anvil.run', { uri: notes })).rejects.toThrow(/E_NOT_FOUND/);
  await editor.end();
  const both = await editorOn({}, { roots: [dir, other] });
  const first = both.editor.open(join(dir, 'tolls.mjs'), TOLLS, 'javascript');
  const second = both.editor.open(join(other, 'far.ts'), 'export {}\nconst far: number = 8\n');
  for (const uri of [first, second]) await both.editor.command('usher-anvil.run', { uri });
  expect(await both.editor.shown(first, 'const tolls')).toBe('│ [48, 56, 80]');
  expect(await both.editor.shown(second, 'const far')).toBe('│ 8');
  await both.editor.end();
});

test('ten files that run: some rest, and keep what they show until they wake', async () => {
  const names = Array.from({ length: 10 }, (_, i) => `lock-${i}.mjs`);
  const text = (i: number): string => `const level = ${i} * 2\n`;
  const { editor, dir } = await editorOn(Object.fromEntries(names.map((name, i) => [name, text(i)])));
  const uris = names.map((name, i) => editor.open(join(dir, name), text(i), 'javascript'));
  for (const [i, uri] of uris.entries()) {
    await editor.command('usher-anvil.run', { uri });
    expect(await editor.shown(uri, 'const level')).toBe(`│ ${i * 2}`);
  }
  for (const [i, uri] of uris.entries()) expect(await editor.shown(uri, 'const level')).toBe(`│ ${i * 2}`);
  expect(await editor.hover(uris[0]!, 'level')).toContain('level: 0');
  editor.edit(uris[1]!, '* 2', '* 3');
  expect(await editor.shown(uris[1]!, 'const level')).toBe('│ 3');
  await editor.end();
});

test('a file that is renamed runs under its new name', async () => {
  const { editor, dir, uri } = await ran();
  const [from, to] = [join(dir, 'tolls.mjs'), join(dir, 'dues.mjs')];
  renameSync(from, to);
  editor.close(uri);
  const renamed = editor.open(to, TOLLS, 'javascript');
  expect(await editor.hints(renamed)).toEqual([]);
  void editor.connection.sendNotification('workspace/didRenameFiles', { files: [{ oldUri: uri, newUri: renamed }] });
  await eventually(async () => (await editor.behind(renamed, 'const tolls')) === '│ [48, 56, 80]');
  await editor.end();
});

test('tests: at their lines, alone, and unsaved', async () => {
  const text = `import test from 'node:test'
import assert from 'node:assert/strict'
import { rate } from './rates.mjs'

test('a rate', () => {
  assert.equal(rate, 4)
})
test('a night rate', () => {
  assert.equal(rate * 2, 9)
})
`;
  const { editor, dir } = await editorOn({ ...FILES, 'tolls.test.mjs': text });
  const uri = editor.open(join(dir, 'tolls.test.mjs'), text, 'javascript');
  const titles = (await editor.lenses(uri)).map(({ title, line }) => `${line}: ${title}`);
  expect(titles).toEqual(['0: run it here, at each edit', '4: run this test alone', '7: run this test alone']);
  // Nothing else of the file runs before it.
  editor.edit(uri, "test('a night rate', () => {\n", "test('a night rate', () => {\n  process.stdout.write('night')\n");
  await editor.command('usher-anvil.test', { uri, path: ['a rate'] });
  expect(await editor.shown(uri, "test('a rate'")).toMatch(/✓/);
  expect(await editor.behind(uri, "test('a night rate'")).not.toMatch(/[✓✗]/);
  await editor.command('usher-anvil.run', { uri });
  const [problem] = await editor.problems(uri, (list) => list.length === 1);
  expect(problem!.message).toMatch(/^a night rate: .*\nreceived 8, expected 9/s);
  editor.edit(uri, '9', '8');
  await editor.problems(uri, (list) => list.length === 0);
  expect(await editor.shown(uri, "test('a night rate'")).toMatch(/✓/);
  await editor.end();
});

test('what a file would do outside of itself is held, and asked about once', async () => {
  const text = `import { writeFileSync } from 'node:fs'\nwriteFileSync('levels.csv', 'chamber,3')\nconst after = 1\n`;
  const { editor, dir } = await editorOn({ 'levels.mjs': text }, { answers: { 'levels.csv': 'Let it, always' } });
  const uri = editor.open(join(dir, 'levels.mjs'), text, 'javascript');
  await editor.command('usher-anvil.run', { uri });
  await eventually(() => editor.asked.length > 0);
  expect(editor.asked[0]).toContain('levels.csv');
  await eventually(() => {
    try {
      return readFileSync(join(dir, 'levels.csv'), 'utf8') === 'chamber,3';
    } catch {
      return false;
    }
  });
  editor.edit(uri, 'after = 1', 'after = 2');
  expect(await editor.shown(uri, 'const after')).toBe('│ 2');
  expect(editor.asked).toHaveLength(1);
  await editor.end();
});

test('what imported packages cost stands beside the import, on request', async () => {
  const lib = { 'node_modules/weir/package.json': '{"name":"weir","version":"1.0.0","main":"index.js"}' };
  const text = `import { flow } from 'weir'\nconsole.log(flow)\n`;
  const files = { ...lib, 'node_modules/weir/index.js': 'exports.flow = 3', 'weir.mjs': text };
  const { editor, dir } = await editorOn(files);
  const uri = editor.open(join(dir, 'weir.mjs'), text, 'javascript');
  await editor.command('usher-anvil.sizes', { uri });
  expect(await editor.shown(uri, 'import')).toMatch(/^│ \d+ bytes minified, \d+ bytes with gzip$/);
  // No longer beside another import.
  editor.edit(uri, "'weir'", "'./weir'");
  expect(await editor.behind(uri, 'import')).toBe('');
  await editor.end();
});

test('a pad that tries a function imports it and calls it', async () => {
  const { editor, uri } = await ran();
  await editor.hints(uri);
  const { start } = editor.rangeOf(uri, 'full = ');
  const tried = (await editor.command('usher-anvil.try', { uri, ...start })) as { text: string; languageId: string };
  expect(tried.languageId).toBe('javascript');
  expect(tried.text).toContain("import { toll } from './tolls.mjs'");
  expect(tried.text).toContain('\ntoll(');
  await expect(editor.command('usher-anvil.try', { uri, line: 13, character: 0 })).rejects.toThrow(/E_CANNOT_TRY/);
  await editor.end();
});

test('what is asked for wrongly is refused in words, and nothing ends', async () => {
  const { editor, uri } = await ran();
  await expect(editor.command('usher-anvil.nothing', { uri })).rejects.toThrow(/There is no command/);
  await expect(editor.command('usher-anvil.run', { uri: 3 })).rejects.toThrow(/E_MESSAGE/);
  await expect(editor.command('usher-anvil.look', { uri, line: -1 })).rejects.toThrow(/E_MESSAGE/);
  await expect(editor.ask('usher-anvil/select', { uri })).rejects.toThrow(/E_MESSAGE/);
  await expect(editor.ask('usher-anvil/newPad', { name: 'nothing' })).rejects.toThrow(/E_TEMPLATE/);
  await expect(editor.ask('textDocument/nothing', {})).rejects.toThrow();
  void editor.connection.sendNotification('usher-anvil/sees', { uri, from: 'x' });
  void editor.connection.sendNotification('usher-anvil/panel', { uri, panel: 0, message: { type: 'save' } });
  expect(await editor.shown(uri, 'const tolls')).toBe('│ [48, 56, 80]');
  await editor.end();
});

test('a pad that never ends is stopped at the next edit, and one that ends its process ends nothing else', async () => {
  const { editor, uri } = await ran();
  editor.edit(uri, 'console.log(tolls)', 'while (true) tolls.length');
  await editor.hints(uri);
  editor.edit(uri, 'while (true) tolls.length', 'process.exit(3)');
  await editor.hints(uri);
  editor.edit(uri, 'process.exit(3)', 'const good = 1');
  await eventually(async () => (await editor.behind(uri, 'const good')) === '│ 1');
  await editor.end();
});
