/** Threads and processes that a program starts stand still one by one, while all others go on. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive, type NodeLive } from 'usher-anvil';
import type { PauseEvent } from '#dist/session/live/pausing/pausing.js';
import { entered, eventually, folder, executes } from './harness.js';

const MAIN = `import { fork } from 'node:child_process'
import { Worker } from 'node:worker_threads'
const part = new URL('./part.mjs', import.meta.url)
const worker = new Worker(part)
const child = fork(part)
for (const one of [worker, child]) one.on('message', (text) => console.log(text))
let turns = 0
setInterval(() => turns++, 5)
export function ask(text = 'toll') {
  worker.postMessage([text, 1])
  child.send([text, 2])
}
console.log('ready')
`;
const PART = `import { parentPort } from 'node:worker_threads'
const tell = (text) => (parentPort ? parentPort.postMessage(text) : process.send(text))
const taken = []
function toll(tonnes) {
  const rate = tonnes * 10
  taken.push(rate)
  return rate + taken.length
}
let stopped = false
function work() {
  let rounds = 0
  while (!stopped) rounds++
  return rounds
}
function onMessage([what, tonnes]) {
  if (what === 'work') {
    if (!parentPort) tell('worked ' + (work() > 0))
  } else tell(what + ' ' + tonnes + ' ' + toll(tonnes))
}
if (parentPort) parentPort.on('message', onMessage)
else process.on('message', onMessage)
tell('listens')
`;
const PLAIN = PART.replace(
  "import { parentPort } from 'node:worker_threads'",
  "const { parentPort } = require('node:worker_threads')",
);

let live: NodeLive;
afterEach(() => live.session.stop());

async function begin(part: 'part.mjs' | 'part.cjs') {
  const dir = folder({
    'main.mjs': MAIN.replace('./part.mjs', `./${part}`),
    [part]: part === 'part.cjs' ? PLAIN : PART,
  });
  let output = '';
  const file = join(dir, 'main.mjs');
  live = createLive({ file, cwd: dir, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  const { session } = live;
  const { pausing } = session;
  const events: PauseEvent[] = [];
  pausing.listen((event) => events.push(event));
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.split('listens').length === 3);
  await executes(session, join(dir, part));
  const text = readFileSync(join(dir, part), 'utf8');
  return {
    ...{ session, pausing, events, file, part: join(dir, part) },
    output: () => output,
    line: (of: string) => text.split('\n').findIndex((line) => line.includes(of)),
    where: (kind: string) => pausing.all.find(({ where }) => where.startsWith(kind))!.where,
    enter: (what: string) => session.evaluate(file, what),
    value: async (expression: string, where: string): Promise<string> => {
      const answer = await pausing.evaluate(expression, 0, where);
      return answer.is === 'value' ? answer.value.text! : JSON.stringify(answer);
    },
  };
}

test.each(['part.mjs', 'part.cjs'] as const)(
  'each stands at a breakpoint with its own variables, and goes on when it is told to: %s',
  async (kind) => {
    const { pausing, part, line, enter, where, value, session, output, file, events } = await begin(kind);
    const made = await pausing.set({ file: part, line: line('taken.push') });
    expect(made.state).toBe('set');
    await enter('ask()');
    await eventually(() => pausing.all.length === 2);
    const thread = where('thread');
    const child = where('process');
    expect([await value('rate', thread), await value('rate', child)]).toEqual(['10', '20']);
    const frames = pausing.all.map(({ frames: [first, second] }) => [first!.name, first!.line, second!.name]);
    expect(frames).toEqual(Array.from({ length: 2 }, () => ['toll', line('taken.push'), 'onMessage']));
    // The program itself goes on.
    const turns = async (): Promise<number> => Number(await entered(session, file, 'turns'));
    const before = await turns();
    await eventually(async () => (await turns()) > before);
    expect(await value('(tonnes = 3, tonnes)', child)).toBe('3');
    expect(await value('rate = 5', child)).toMatch(/rate is a constant/);
    await pausing.go({ how: 'over' }, thread);
    await eventually(() => pausing.all.find((one) => one.where === thread)?.reason === 'step');
    expect(await value('taken.length', thread)).toBe('1');
    expect(await value('taken.length', child)).toBe('0');
    // Code is changed while both stand: calls that begin from then on are new.
    writeFileSync(part, readFileSync(part, 'utf8').replace('tonnes * 10', 'tonnes * 100'));
    await session.changed([part]);
    await pausing.go({ how: 'on' }, thread);
    await eventually(() => output().includes('toll 1 11'));
    await eventually(() => pausing.all.length === 1);
    expect(pausing.all.map(({ where: of }) => of)).toEqual([child]);
    expect(await pausing.go({ how: 'again', frame: 0 }, child)).toEqual({ is: 'done' });
    await eventually(() => pausing.all.length === 1 && pausing.all[0]!.number > 1);
    expect(pausing.all[0]).toMatchObject({ reason: 'breakpoint', frames: [{ line: line('taken.push') }, {}] });
    expect(await value('rate', child)).toBe('200');
    await pausing.remove(made.id);
    await pausing.go({ how: 'on' }, child);
    await eventually(() => output().includes('toll 2 201'));
    await eventually(() => pausing.all.length === 0);
    // Messages are told with whoever says them.
    await pausing.set({ file: part, line: line('return rate'), message: 'rate {rate}' });
    await enter("ask('again')");
    await eventually(() => output().includes('again 1 102') && output().includes('again 2 202'));
    const said = (): string[] =>
      events.flatMap((event) => (event.is === 'message' ? [`${event.where} ${event.text}`] : [])).sort();
    await eventually(() => said().length === 2);
    expect(said()).toEqual([`${child} rate 200`, `${thread} rate 100`]);
  },
);

test('a thread says that it cannot begin a call anew; errors stop both; what joins later stops too', async () => {
  const { pausing, part, enter, where, value, session, output, file } = await begin('part.mjs');
  await pausing.stopAtErrors('uncaught');
  writeFileSync(part, readFileSync(part, 'utf8').replace('taken.push(rate)', "throw new Error('no rate')"));
  await session.changed([part]);
  await enter('ask()');
  await eventually(() => pausing.all.length === 2);
  for (const { reason, error } of pausing.all) expect([reason, error?.message]).toEqual(['error', 'no rate']);
  expect(await value('tonnes', where('thread'))).toBe('1');
  expect(await pausing.go({ how: 'again', frame: 0 }, where('thread'))).toMatchObject({ is: 'cannot' });
  await pausing.letAllGo();
  await eventually(() => pausing.all.length === 0);
  await session.evaluate(
    file,
    "new Worker(part).on('message', (text) => console.log('later ' + text)).postMessage(['x', 3])",
  );
  await eventually(() => pausing.all.length === 1);
  expect(await value('tonnes', where('thread'))).toBe('3');
  await pausing.stopAtErrors('none');
  await pausing.letAllGo();
  await eventually(() => pausing.all.length === 0 && output().includes('later listens'));
  expect(output()).not.toContain('TypeError');
});

test('a process in a loop that never ends is stopped there, and ended by a variable', async () => {
  const { pausing, session, enter, value, output, line } = await begin('part.mjs');
  await enter("ask('work')");
  const child = session.guests.find(({ label }) => label.startsWith('process'))!.label;
  expect(await pausing.pause(child)).toEqual({ is: 'done' });
  await eventually(() => pausing.all.length === 1);
  expect(pausing.all[0]).toMatchObject({ where: child, reason: 'asked' });
  expect(pausing.all[0]!.frames[0]).toMatchObject({ name: 'work', line: line('while (!stopped)') });
  expect(Number(await value('rounds', child))).toBeGreaterThan(0);
  expect(await value('(stopped = true)', child)).toBe('true');
  await pausing.go({ how: 'on' }, child);
  await eventually(() => output().includes('worked true'));
});

test('what begins later stops in its first lines, and in what these call', async () => {
  const { pausing, session, part, file, line, value, output } = await begin('part.cjs');
  const text = PLAIN.replace("tell('listens')", "if (process.argv[2]) tell('first ' + toll(7))\ntell('listens')");
  writeFileSync(part, text);
  await session.changed([part]);
  await pausing.set({ file: part, line: line('const rate') });
  await session.evaluate(file, "fork(part, ['x']).on('message', (text) => console.log('later ' + text)); undefined");
  await eventually(() => pausing.all.length === 1);
  const { where, frames } = pausing.all[0]!;
  expect(where).toMatch(/^process /);
  expect(frames.map(({ name }) => name)[0]).toBe('toll');
  expect(await value('tonnes', where)).toBe('7');
  await pausing.go({ how: 'on' }, where);
  await eventually(() => output().includes('later first 71') && output().includes('later listens'));
});
