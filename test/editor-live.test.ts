/** An editor over the open protocol, on files of a program that runs on. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { HeldDone, HeldProgram } from '#dist/editor/extra-messages.js';
import { type EditorClient, editorOn, uriOf } from './editor-client.js';
import { eventually, start } from './harness.js';

const PUMP = `let level = 0

function fill(by) {
  level += by
  return level
}
function report(text) {
  return text
}
setInterval(() => {
  fill(2)
  report('level ' + level)
}, 30)
`;

async function live(options: { patch?: 'save' | 'edit' } = {}): Promise<{
  editor: EditorClient;
  dir: string;
  uri: string;
  program: ReturnType<typeof start>;
}> {
  const { editor, dir } = await editorOn(
    { 'pump.mjs': PUMP, 'idle.mjs': 'const idle = 1\n' },
    { initializationOptions: options },
  );
  const env = { XDG_STATE_HOME: editor.state, USHER_ANVIL_TARGETS: join(editor.state, 'targets') };
  const uri = editor.open(join(dir, 'pump.mjs'), PUMP, 'javascript');
  const program = start(['live', 'pump.mjs'], { cwd: dir, env });
  // Its file is open before it begins: it is found by itself.
  await eventually(async () => (await editor.lenses(uri)).some(({ title }) => title === 'look inside'));
  return { editor, dir, uri, program };
}

const counted = /^│ [\d,.]+\/s · ×[\d,]+/;

test('functions are counted, looked into, changed at a save, and put back', async () => {
  const { editor, dir, uri, program } = await live();
  await eventually(async () => counted.test(await editor.behind(uri, 'function fill')));
  expect(await editor.behind(uri, 'level += by')).toBe('');
  const look = (await editor.lenses(uri)).find(({ line }) => line === editor.lineOf(uri, 'function fill'))!;
  await editor.command(look.command, look.argument);
  await eventually(async () => /^│ \d+ ×/.test(await editor.behind(uri, 'level += by')));
  expect((await editor.lenses(uri)).map(({ title }) => title)).toContain('look no more');
  // Typed: nothing changes in the program, and what stands beside other lines stays.
  editor.edit(uri, 'level += by', 'level += by * 0');
  expect(await editor.behind(uri, 'level += by')).toBe('');
  expect(await editor.shown(uri, 'function report')).toMatch(counted);
  writeFileSync(join(dir, 'pump.mjs'), editor.textOf(uri));
  editor.save(uri);
  await program.until(/fill patched/);
  await eventually(async () => /^│ \d+ ×/.test(await editor.behind(uri, 'level += by')));
  const still = async (): Promise<string> => /│ (\d+) ×/.exec(await editor.behind(uri, 'level += by'))?.[1] ?? '';
  await eventually(async () => {
    const one = await still();
    await new Promise((resolve) => setTimeout(resolve, 300));
    return one !== '' && one === (await still());
  });
  await editor.press(uri, 'take the last change back');
  await program.until(/undone/);
  await editor.press(uri, 'look no more');
  await eventually(async () => (await editor.behind(uri, 'return level')) === '');
  program.child.kill('SIGTERM');
  // What no program runs any more is as it was before.
  await eventually(async () => (await editor.lenses(uri)).some(({ title }) => title.startsWith('run it here')));
  expect(await editor.hints(uri)).toEqual([]);
  await editor.end();
});

test('a text that is not saved is applied on demand, and is not kept by the program', async () => {
  const { editor, dir, uri, program } = await live();
  await editor.command('usher-anvil.look', { uri, line: editor.lineOf(uri, 'return text') });
  editor.edit(uri, 'return text', "return text + '!'");
  await editor.press(uri, 'apply to pump without saving');
  await program.until(/report patched/);
  await eventually(async () => /!'/.test(await editor.behind(uri, "text + '!'")));
  expect((await editor.lenses(uri)).some(({ title }) => title.startsWith('apply'))).toBe(false);
  expect(await editor.hover(uri, 'text) {')).toContain("'level ");
  // Lines above move what is below, and the program's own lines stay where they are.
  editor.edit(uri, 'let level', '// the chamber\nlet level');
  await eventually(async () => /!'/.test(await editor.behind(uri, "text + '!'")));
  editor.close(uri);
  // Another window finds the text that is on disk.
  const again = editor.open(join(dir, 'pump.mjs'), PUMP, 'javascript');
  await eventually(async () => counted.test(await editor.behind(again, 'function report')));
  program.child.kill('SIGTERM');
  await editor.end();
});

test('code is evaluated inside of its module', async () => {
  const { editor, uri, program } = await live();
  const evaluate = (given: object): Promise<unknown> => editor.command('usher-anvil.evaluate', { uri, ...given });
  const line = editor.lineOf(uri, 'let level');
  expect(await evaluate({ line, text: 'fill.name + report(1)' })).toEqual({ line, text: "'fill1'", failed: false });
  // A statement that declares a name stands for what it holds now.
  const held = (await evaluate({ line })) as { text: string };
  expect(Number(held.text)).toBeGreaterThan(0);
  expect(await evaluate({ line, text: 'level.depth.feet' })).toMatchObject({ failed: true });
  expect(await evaluate({ line, text: 'level +* 2' })).toMatchObject({ failed: true });
  program.child.kill('SIGTERM');
  await editor.end();
});

test('each edit changes the program where a person has chosen so; a text that does not parse changes nothing', async () => {
  const { editor, uri, program } = await live({ patch: 'edit' });
  editor.edit(uri, 'return text', 'return text.length');
  await program.until(/report patched/);
  editor.edit(uri, 'text.length', 'text.');
  await editor.problems(uri, (list) => list.length === 1);
  editor.edit(uri, 'text.', 'text');
  await editor.problems(uri, (list) => list.length === 0);
  await eventually(async () => counted.test(await editor.behind(uri, 'function report')));
  program.child.kill('SIGTERM');
  await editor.end();
});

test('errors of a program that runs stand at their lines', async () => {
  const { editor, dir, uri, program } = await live();
  editor.edit(uri, 'return text', 'return text.depth.feet');
  writeFileSync(join(dir, 'pump.mjs'), editor.textOf(uri));
  editor.save(uri);
  const [problem] = await editor.problems(uri, (list) => list.some(({ message }) => String(message).includes('feet')));
  expect(problem!.range.start.line).toBe(editor.lineOf(uri, 'text.depth'));
  program.child.kill('SIGKILL');
  await editor.end();
});

test('held calls are listed with their variables; what is missing is given as a text, and they go on', async () => {
  const { editor, dir } = await editorOn({
    'house.mjs': `const book = { lines: ['Ada 4'] }
async function settle(boat) {
  const due = boat.tonnes * 2
  return book.settled(due)
}
setTimeout(async () => console.log('settled ' + (await settle({ tonnes: 4 }))), 50)
setInterval(() => undefined, 1_000)
`,
  });
  const env = { XDG_STATE_HOME: editor.state, USHER_ANVIL_TARGETS: join(editor.state, 'targets') };
  const file = join(dir, 'house.mjs');
  const program = start(['live', 'house.mjs', '--hold', '--name', 'house'], { cwd: dir, env });
  await editor.connection.sendNotification('usher-anvil/listsHeld');
  const listed = () =>
    editor.told.filter(({ method }) => method === 'usher-anvil/held').at(-1)?.params.programs as
      HeldProgram[] | undefined;
  const house = await eventually(() => listed()?.find(({ calls }) => calls.length > 0));
  expect(house).toMatchObject({ name: 'house', mode: 'on', standing: [] });
  const [call] = house.calls;
  expect(call).toMatchObject({ error: 'TypeError: book.settled is not a function', misses: 'settled' });
  expect(call!.frames[0]).toMatchObject({
    name: 'settle',
    at: { uri: uriOf(file), line: 3 },
    variables: expect.arrayContaining([{ name: 'due', text: '8' }]),
  });
  const ask = (asked: object): Promise<HeldDone> =>
    editor.ask('usher-anvil/doHeld', { program: house.address, id: call!.id, ...asked });
  const { write } = await ask({ do: 'write' });
  expect(write).toEqual({
    uri: uriOf(file),
    line: 0,
    character: 31,
    text: ',\n  settled(due) {\n    \n  }\n',
    cursor: { line: 2, character: 4 },
  });
  await expect(ask({ do: 'give', text: 'nowhere' })).rejects.toThrow('nowhere is not defined');
  await expect(ask({ do: 'again', id: 77 })).rejects.toThrow(/held no longer/);
  const text = readFileSync(file, 'utf8');
  writeFileSync(file, `${text.slice(0, 31)}${write!.text.replace('    \n', '    return due + 1\n')}${text.slice(31)}`);
  await program.until(/book assigned/);
  expect(await ask({ do: 'again' })).toEqual({});
  await program.until(/settled 9/);
  await eventually(() => listed()?.every(({ calls }) => calls.length === 0));
  await ask({ do: 'auto' });
  await eventually(() => listed()?.[0]?.mode === 'auto');
  program.child.kill('SIGTERM');
  await eventually(() => listed()?.length === 0);
  await editor.end();
});
