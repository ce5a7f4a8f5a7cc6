/** A client that draws: what it is told beside the open protocol. */
import { join } from 'node:path';
import type { LaneParams, ProgramParams, StatusParams } from '#dist/editor/extra-messages.js';
import type { SelectedMessage } from '#dist/server/protocol-files.js';
import type { ToWindow } from '#dist/server/protocol.js';
import { type EditorClient, editorOn } from './editor-client.js';
import { eventually, start } from './harness.js';

const TEXT = `const rates = { lime: 40, timber: 50 }
let sum = 0
for (const rate of Object.values(rates)) sum += rate
function never() {
  return sum
}
console.log('sum', sum)
`;

async function drawn(text = TEXT): Promise<{ editor: EditorClient; dir: string; uri: string }> {
  const { editor, dir } = await editorOn({ 'rates.mjs': text }, { initializationOptions: { lane: true } });
  const uri = editor.open(join(dir, 'rates.mjs'), text, 'javascript');
  await editor.command('usher-anvil.run', { uri });
  return { editor, dir, uri };
}

function told<T>(editor: EditorClient, name: string): T[] {
  return editor.told.filter(({ method }) => method === `usher-anvil/${name}`).map(({ params }) => params as T);
}

/** What was told last of a line, as text. */
function behind(editor: EditorClient, line: number): string {
  const last = told<LaneParams>(editor, 'lane').at(-1);
  return (last?.lines.find((one) => one.line === line)?.items ?? []).map(({ text }) => text).join(' · ');
}

test('what it draws itself it is not told a second time', async () => {
  const { editor } = await editorOn({}, { initializationOptions: { lane: true } });
  const { editor: plain } = await editorOn({});
  for (const [one, kinds] of [
    [editor, 0],
    [plain, 3],
  ] as const) {
    const { capabilities } = await one.begin();
    const drawn = ['inlayHintProvider', 'documentSymbolProvider', 'semanticTokensProvider'] as const;
    expect(drawn.filter((name) => capabilities[name])).toHaveLength(kinds);
    await one.end();
  }
});

test('lines with states and values, of the version of their text', async () => {
  const { editor, uri } = await drawn();
  await eventually(() => behind(editor, 0) === '{ lime: 40, timber: 50 }');
  const last = told<LaneParams>(editor, 'lane').at(-1)!;
  expect(last).toMatchObject({ uri, version: 1, earlier: false });
  expect(last.lines.find(({ line }) => line === 4)).toMatchObject({ state: 'never' });
  editor.edit(uri, '40', '41');
  await eventually(() => behind(editor, 0) === '{ lime: 41, timber: 50 }');
  for (const { version, lines, earlier } of told<LaneParams>(editor, 'lane')) {
    const [first] = lines.find(({ line }) => line === 0)?.items ?? [];
    if (first && !earlier) expect(first.text).toContain(version === 1 ? '40' : '41');
  }
  await editor.end();
});

test('of a long text the lines on the screen come first', async () => {
  const text = Array.from({ length: 5_000 }, (_, i) => `const lock${i} = ${i}\n`).join('');
  const { editor, uri } = await drawn(text);
  await eventually(() => behind(editor, 4_999) === '4999');
  void editor.connection.sendNotification('usher-anvil/sees', { uri, from: 4_000, to: 4_040 });
  const before = editor.told.length;
  editor.edit(uri, 'lock4001 = 4001', 'lock4001 = 7');
  await eventually(() => behind(editor, 4_001) === '7');
  const since = editor.told.slice(before).filter(({ method }) => method === 'usher-anvil/lane');
  const { part, lines } = since.map(({ params }) => params as unknown as LaneParams).find((one) => one.version === 2)!;
  expect(part!.from).toBeLessThanOrEqual(4_000);
  expect(lines.length).toBeLessThan(400);
  // All come when the person pauses.
  await eventually(() => told<LaneParams>(editor, 'lane').at(-1)!.part === undefined);
  await editor.end();
});

test('how a file stands, in words', async () => {
  const { editor, uri } = await drawn();
  const state = (): StatusParams | undefined => told<StatusParams>(editor, 'status').findLast((one) => one.uri === uri);
  await eventually(() => state()?.text.run !== '' && state()?.running === false);
  expect(state()).toMatchObject({ when: 'edit', behind: false, of: 'rates.mjs', text: { trouble: '' } });
  await editor.command('usher-anvil.when', { uri, when: 'command' });
  editor.edit(uri, '40', '41');
  await eventually(() => state()?.behind === true);
  expect(behind(editor, 2)).not.toBe('');
  await editor.command('usher-anvil.run', { uri });
  await eventually(() => behind(editor, 0).includes('41'));
  await editor.command('usher-anvil.when', { uri, when: 'save' });
  editor.edit(uri, '41', '42');
  await eventually(() => state()?.behind === true);
  editor.save(uri);
  await eventually(() => behind(editor, 0).includes('42'));
  editor.edit(uri, 'sum += rate', 'sum += rate.weight.kilo');
  editor.save(uri);
  await eventually(() => state()?.text.trouble !== '');
  await editor.command('usher-anvil.rest', { uri });
  await eventually(() => state()?.is === 'off');
  await editor.end();
});

test('a selected expression, templates and pads', async () => {
  const { editor, uri } = await drawn();
  await eventually(() => behind(editor, 0) !== '');
  const at = TEXT.indexOf('Object.values(rates)');
  const asked = { uri, start: at, end: at + 'Object.values(rates)'.length, version: 1 };
  await eventually(async () => {
    const found = await editor.ask<SelectedMessage | null>('usher-anvil/select', asked);
    return found?.history?.samples.at(-1)?.text === '[40, 50]';
  });
  expect(await editor.ask('usher-anvil/select', { ...asked, version: 9 })).toBeNull();
  expect(await editor.ask('usher-anvil/nameOf', { uri })).toBe('rates.mjs');
  const templates = await editor.ask<{ name: string }[]>('usher-anvil/templates', {});
  expect(templates.map(({ name }) => name)).toContain('tests');
  const pad = await editor.ask<{ text: string; languageId: string }>('usher-anvil/newPad', { name: 'tests' });
  expect(pad.languageId).toBe('typescript');
  const untitled = editor.open('untitled:Untitled-3', pad.text);
  await editor.command('usher-anvil.run', { uri: untitled });
  await eventually(() => told<LaneParams>(editor, 'lane').some((one) => one.uri === untitled && one.lines.length > 3));
  await editor.end();
});

test('a panel of the workbench sees what the editor’s pad does, and says nothing about its text', async () => {
  const { editor, uri } = await drawn();
  await eventually(() => behind(editor, 0) !== '');
  const say = (message: object | null, panel = 0): void =>
    void editor.connection.sendNotification('usher-anvil/panel', { panel, uri, message });
  const heard = (): ToWindow[] =>
    told<{ panel: number; message: ToWindow }>(editor, 'panelTold').map(({ message }) => message);
  say({ type: 'show', file: 'any', run: false });
  await eventually(() => heard().some((one) => one.type === 'record' && one.console.length === 1));
  say({ type: 'inspect', file: 'rates.mjs', line: 2, ask: 1 });
  await eventually(() => heard().some((one) => one.type === 'inspected' && one.histories.length > 0));
  // As of an earlier moment, for the panel alone.
  say({ type: 'cursor', moment: 3 });
  await eventually(() => heard().some((one) => one.type === 'record' && one.cursor === 3));
  expect(
    told<LaneParams>(editor, 'lane')
      .at(-1)!
      .lines.find(({ line }) => line === 6),
  ).toMatchObject({ state: 'ran' });
  say({ type: 'delete', file: 'rates.mjs' });
  say({ type: 'save', file: 'rates.mjs' });
  editor.edit(uri, '40', '60');
  await eventually(() =>
    heard().some((one) => one.type === 'record' && one.console.some(({ text }) => text.includes('110'))),
  );
  expect(heard().some((one) => one.type === 'deleted')).toBe(false);
  say(null);
  await editor.end();
});

test('programs that are live, as they come and go', async () => {
  const { editor, dir } = await editorOn(
    { 'pump.mjs': 'setInterval(() => undefined, 1000)\n' },
    { initializationOptions: { lane: true } },
  );
  const env = { XDG_STATE_HOME: editor.state, USHER_ANVIL_TARGETS: join(editor.state, 'targets') };
  const names = (): string[] =>
    told<ProgramParams>(editor, 'programs')
      .at(-1)
      ?.programs.map(({ name }) => name) ?? [];
  const program = start(['live', 'pump.mjs'], { cwd: dir, env });
  await eventually(() => names().includes('pump'));
  program.child.kill('SIGTERM');
  await eventually(() => names().length === 0);
  await editor.end();
});
