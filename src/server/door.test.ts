import { spawn } from 'node:child_process';
import {
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { WebSocket } from 'ws';
import {
  freeName,
  ownFolder,
  register,
  socketPath,
  targetNamed,
  targets,
  type Registration,
} from '#dist/server/targets.js';
import { joinTarget, type Window } from '#dist/server/window.js';
import { valueText } from 'usher-anvil/record';
import { cli, cliPath, eventually, folder, root, start, wait } from '../../test/harness.js';

const CHAMBER = `let level = 0;
const fleet = [{ name: 'Heron', at: 0 }];
function fill(by: number) {
  level += by;
}
setInterval(() => fill(1), 20);
setInterval(() => console.log('level', level), 40);
`;

const running: ReturnType<typeof start>[] = [];
const windows: Window[] = [];
afterEach(async () => {
  for (const window of windows.splice(0)) window.close();
  for (const one of running.splice(0)) await one.end();
});

/** Starts live programs whose targets are in a folder of their own. */
function home(files: Record<string, string> = { 'chamber.ts': CHAMBER }) {
  const dir = folder(files);
  const at = join(folder(), 'targets');
  const env = { USHER_ANVIL_TARGETS: at, XDG_STATE_HOME: folder() };
  return {
    dir,
    at,
    env,
    async live(...args: string[]): Promise<ReturnType<typeof start>> {
      const count = targets(at).length;
      const one = start(['live', ...args], { cwd: dir, env });
      running.push(one);
      await eventually(() => targets(at).length > count || one.child.exitCode !== null);
      return one;
    },
    async join(name?: string, listeners: Parameters<typeof joinTarget>[2] = {}): Promise<Window> {
      const { address, token } = targetNamed(name, at);
      const window = await joinTarget(address, token, listeners);
      windows.push(window);
      return window;
    },
    cli: (...args: string[]) => cli(args, { cwd: dir, env }),
  };
}

async function value(window: Window, text: string): Promise<string> {
  const answer = await window.ask('evaluate', { text });
  return answer.is === 'done'
    ? [answer.changes, answer.result ? valueText(answer.result.value) : ''].filter((part) => part !== '').join(' → ')
    : answer.is;
}

describe('a live program is found by its name', () => {
  test('in a folder that only its owner can read; it leaves with the program', async () => {
    const { live, at, cli: run, dir } = home();
    const program = await live('chamber.ts');
    expect(statSync(at).mode & 0o777).toBe(0o700);
    for (const name of readdirSync(at)) expect([name, statSync(join(at, name)).mode & 0o777]).toEqual([name, 0o600]);
    const [target] = targets(at);
    expect(target).toMatchObject({ name: 'chamber', entry: join(dir, 'chamber.ts'), files: [join(dir, 'chamber.ts')] });
    expect(run('targets').stdout).toMatch(
      new RegExp(`^chamber {2}process ${target!.pid} {2}chamber.ts {2}since \\d+ s\n$`),
    );
    const json = JSON.parse(run('targets', '--json').stdout) as { format: string; targets: object[] };
    expect([json.format, json.targets.length, JSON.stringify(json).includes(target!.token)]).toEqual([
      'usher-anvil/targets@1',
      1,
      false,
    ]);
    await program.end();
    await eventually(() => readdirSync(at).length === 0);
    expect(run('targets').stderr).toMatch(/^No program is live\. Start one/);
  });

  test('a second of one name has a number, and what a killed process left is cleaned', async () => {
    const { live, at, cli: run, env } = home();
    await live('chamber.ts');
    const second = await live('chamber.ts');
    expect(targets(at).map((one) => one.name)).toEqual(['chamber', 'chamber-2']);
    expect(run('prompt', '--evaluate', 'level').stderr).toBe(
      'usher-anvil: E_TARGET  2 programs are live: name one of chamber, chamber-2\n',
    );
    expect(run('prompt', 'chambr', '--evaluate', 'level').stderr).toMatch(
      /no program is live under the name chambr\. Did you mean chamber\?/,
    );
    const { pid } = targets(at)[1]!;
    second.child.kill('SIGKILL');
    await second.exited;
    // The program itself is its own, and goes on.
    expect(process.kill(pid, 'SIGKILL')).toBe(true);
    await eventually(() => targets(at).length === 1);
    expect(readdirSync(at).filter((name) => name.startsWith('chamber-2-'))).toEqual([]);
    expect(freeName('/canal/chamber.ts', env.USHER_ANVIL_TARGETS)).toBe('chamber-2');
  });

  test(
    'a folder that others can read is closed, one that is a link is ' + 'refused, and the program runs all the same',
    async () => {
      const { live, at, dir } = home();
      mkdirSync(at, { recursive: true });
      chmodSync(at, 0o777);
      expect(ownFolder(at)).toBe(at);
      expect(statSync(at).mode & 0o777).toBe(0o700);
      const link = join(dir, 'link');
      symlinkSync(at, link);
      expect(() => ownFolder(link)).toThrow(/E_FOLDER|is no folder/);
      expect(targets(link)).toEqual([]);
      writeFileSync(join(at, 'nonsense.json'), '{"format":"usher-anvil/target@1"}');
      expect(targets(at)).toEqual([]);
      const refused = start(['live', 'chamber.ts'], { cwd: dir, env: { USHER_ANVIL_TARGETS: link } });
      running.push(refused);
      await refused.until(/E_FOLDER {2}.*is no folder.*The program goes on, and cannot be joined/s);
      await refused.until(/level \d+/);
      expect((await live('chamber.ts')).child.exitCode).toBe(null);
      const deep = join(folder(), 'x'.repeat(90));
      expect(Buffer.byteLength(socketPath(deep, 'chamber', 7))).toBeLessThan(100);
    },
  );
});

test('a door wants its token, and nothing that a page could send', async () => {
  const { live, at } = home();
  await live('chamber.ts', '--listen');
  const { address, token } = targets(at)[0]!;
  expect(address).toMatch(/^127\.0\.0\.1:\d+$/);
  const refused = (headers: Record<string, string>): Promise<number | string> =>
    new Promise((resolve) => {
      const socket = new WebSocket(`ws://${address}/`, { headers });
      socket.once('unexpected-response', (_request, response) => resolve(response.statusCode!));
      socket.once('open', () => {
        socket.close();
        resolve('open');
      });
      socket.once('error', () => undefined);
    });
  expect(await refused({})).toBe(401);
  expect(await refused({ authorization: 'Bearer nonsense' })).toBe(401);
  expect(await refused({ authorization: `Bearer ${token}x` })).toBe(401);
  expect(await refused({ authorization: `Bearer ${token}`, origin: 'http://127.0.0.1' })).toBe(403);
  expect(await refused({ authorization: `Bearer ${token}`, host: 'canal.example' })).toBe(403);
  expect(await refused({ authorization: `Bearer ${token}` })).toBe('open');
  await expect(joinTarget(address, 'nonsense', {})).rejects.toThrow(/asks for another token/);
  await expect(joinTarget('127.0.0.1:1', token, {})).rejects.toThrow(/nobody answers at 127\.0\.0\.1:1/);
  const plain = await new Promise<number>((resolve) =>
    request(`http://${address}/`, (response) => resolve(response.resume().statusCode!)).end(),
  );
  expect(plain).toBe(404);
});

test('what is no request of the protocol is answered with its reason, and the door stays open', async () => {
  const { live, at } = home();
  await live('chamber.ts');
  const { address, token } = targets(at)[0]!;
  const socket = new WebSocket(`ws+unix:${address}:/`, { headers: { authorization: `Bearer ${token}` } });
  const answers: { id: unknown; error?: { code: number; message: string }; result?: unknown }[] = [];
  socket.on('message', (data) => answers.push(JSON.parse(String(data)) as (typeof answers)[0]));
  await new Promise((resolve) => socket.once('open', resolve));
  for (const text of [
    'nonsense',
    '[]',
    '{"jsonrpc":"2.0","id":1,"method":"constructor"}',
    '{"jsonrpc":"2.0","id":2,"method":"evaluate","params":{"text":3}}',
    '{"jsonrpc":"2.0","id":3,"method":"evaluate","params":{"text":"1","file":"/etc/passwd"}}',
    '{"jsonrpc":"2.0","id":4,"method":"describe"}',
  ])
    socket.send(text);
  await eventually(() => answers.length === 6);
  socket.close();
  expect(answers.filter((one) => one.id === null).map((one) => one.error!.code)).toEqual([-32600, -32600]);
  const by = (id: number) => answers.find((one) => one.id === id)!;
  expect(by(1).error).toEqual({
    code: -32601,
    message: expect.stringMatching(/^there is no method constructor; there are describe, evaluate/) as string,
  });
  expect(by(2).error!.code).toBe(-32602);
  expect(by(3).result).toEqual({ is: 'failed', text: '/etc/passwd is no module of this program', details: [] });
  expect(by(4).result).toMatchObject({ protocol: 'usher-anvil/door@1', name: 'chamber' });
});

test(
  'several windows share a target: each change is told to all, the ' +
    'program goes on without them, and its end is told',
  async () => {
    const { live, join: window } = home();
    const program = await live('chamber.ts');
    const told: string[][] = [[], []];
    let output = '';
    let end = '';
    const first = await window('chamber', {
      event: (event) => told[0]!.push(event.text),
      output: ({ text }) => (output += text),
    });
    const second = await window('chamber', {
      event: (event) => told[1]!.push(event.text),
      ended: (text) => (end = text),
    });
    await first.ask('listen', { on: true });
    await Promise.all([
      first.ask('evaluate', { text: 'function fill(by: number) { level += by * 1000; }' }),
      second.ask('evaluate', { text: 'function fill(by: number) { level += by * 5000; }' }),
      first.ask('evaluate', { text: 'function fill(by: number) { level += by * 1_000_000; }' }),
    ]);
    await eventually(() => told[0]!.length === 3 && told[1]!.length === 3);
    expect(told[0]).toEqual(['entered: fill patched', 'entered: fill patched', 'entered: fill patched']);
    expect(told[1]).toEqual(told[0]);
    await eventually(() => /level \d{7}/.test(output));
    first.close();
    await wait(60);
    expect(Number(await value(second, 'level'))).toBeGreaterThan(1_000_000);
    const again = await window('chamber');
    expect(await value(again, 'fleet')).toBe("[{ name: 'Heron', at: 0 }]");
    const answer = await again.ask('evaluate', { text: 'fleet[0]' });
    const opened = await again.ask('look', {
      request: { do: 'open', moment: answer.is === 'done' ? answer.result!.moment : -1, part: 0 },
    });
    expect(opened.is === 'opened' && opened.opened.first.map((member) => member.key)).toEqual(
      expect.arrayContaining(['name', 'at']),
    );
    expect(await again.ask('undo', {})).toEqual({ done: true });
    // It dies while it is asked something.
    const asked = again.ask('evaluate', { text: 'await new Promise(() => {})' });
    await value(second, 'process.nextTick(() => process.kill(process.pid, "SIGKILL"))').catch(() => undefined);
    const last = asked.then(
      (given) => (given.is === 'failed' ? given.text : given.is),
      (error: Error) => error.message,
    );
    expect(await last).toMatch(/the program (has ended|was ended by SIGKILL)/);
    await eventually(() => end === 'the program was ended by SIGKILL');
    await expect(second.ask('describe', {})).rejects.toThrow('the program was ended by SIGKILL');
    expect(await program.exited).toBe(128 + 9);
  },
);

test('ten targets at once answer each for itself', async () => {
  const { at, dir, env, join: window } = home();
  writeFileSync(join(dir, 'one.ts'), 'const me = process.argv[2];\nsetInterval(() => {}, 1000);\n');
  for (let i = 0; i < 10; i++)
    running.push(start(['live', 'one.ts', '--name', `lock-${i}`, '--', `number ${i}`], { cwd: dir, env }));
  await eventually(() => targets(at).length === 10);
  const all = await Promise.all(Array.from({ length: 10 }, (_, i) => window(`lock-${i}`)));
  await Promise.all(all.map((one) => eventually(async () => (await one.ask('evaluate', { text: '1' })).is === 'done')));
  expect(await Promise.all(all.map((one) => value(one, 'me')))).toEqual(
    Array.from({ length: 10 }, (_, i) => `'number ${i}'`),
  );
});

describe('the prompt', () => {
  test('takes lines from a pipe, answers each, and ends with 1 when one failed', async () => {
    const { live, dir, env } = home();
    writeFileSync(join(dir, 'weir.ts'), 'export let open = false;\n');
    writeFileSync(
      join(dir, 'chamber.ts'),
      `import { open } from './weir.ts';\n${CHAMBER.replace("console.log('level', level)", 'open')}`,
    );
    await live('chamber.ts');
    const enter = (input: string) => cli(['prompt', 'chamber'], { cwd: dir, env, input });
    const good = enter(
      'level = 7; fleet\nopen 1\nfunction fill(by: number) {\n  level -= by;\n}\nin weir.ts\nopen\n' +
        'open = true\nin chamber.ts\nopen\nundo last\nrun waiting\nshow names\n',
    );
    expect([good.code, good.stderr]).toEqual([0, '']);
    expect(good.stdout).toBe(
      "[{ name: 'Heron', at: 0 }]\n  0: { name: 'Heron', at: 0 }\n    name: 'Heron'\n    at: 0\nfill patched\n" +
        'false\ntrue\ntrue\nno statement waits\n  level  let\n  fleet  const\n' +
        '  fill  function\n  open  import ./weir.ts\n',
    );
    const bad = enter('nosuch\nlet y = ;\nopen 9\nin lock.ts\nundo last\n');
    expect([bad.code, bad.stdout]).toEqual([
      1,
      expect.stringMatching(/ReferenceError: nosuch is not defined\nline 1 {2}Unexpected token\n/),
    ]);
    expect(bad.stderr).toBe(
      'there is no result 9\nlock.ts is no module of chamber; its modules are chamber.ts, weir.ts\n' +
        'there is no change to take back\n',
    );
    writeFileSync(
      join(dir, 'chamber.ts'),
      readFileSync(join(dir, 'chamber.ts'), 'utf8').replace('let level = 0', 'let level = 99'),
    );
    await running[0]!.until(/level kept/);
    expect(enter('reset level\nlevel >= 99 && level < 1000')).toEqual({ code: 0, stdout: 'true\n', stderr: '' });
    expect(enter('reset nosuch').stderr).toBe('no save has given nosuch another first value than it lives with\n');
    expect(enter('fleet.map((one) => {\n').stderr).toBe('what was entered last is not whole\n');
    expect(cli(['prompt', 'chamber', '--evaluate', 'fleet.length + 1'], { cwd: dir, env })).toEqual({
      code: 0,
      stdout: '2\n',
      stderr: '',
    });
    expect(cli(['prompt', 'chamber', '--in', 'weir.ts', '--evaluate', 'open'], { cwd: dir, env }).stdout).toBe(
      'true\n',
    );
    expect(cli(['prompt', 'chamber', '--evaluate', 'no such'], { cwd: dir, env })).toEqual({
      code: 1,
      stdout: '',
      stderr: 'line 1  Missing semicolon.\n',
    });
  });

  test('in a terminal completes, prints what comes late above the line being typed, and remembers', async () => {
    const { live, dir, env } = home({
      'chamber.ts': CHAMBER.replace("setInterval(() => console.log('level', level), 40);\n", ''),
    });
    await live('chamber.ts');
    const open = () => {
      const child = spawn('script', ['-qec', `${process.execPath} ${cliPath} prompt chamber`, '/dev/null'], {
        cwd: dir,
        env: { ...process.env, NODE_OPTIONS: '', ...env, TERM: 'xterm', COLUMNS: '100' },
      });
      let text = '';
      child.stdout.on('data', (data: Buffer) => (text += String(data)));
      return {
        child,
        until: (pattern: RegExp) => eventually(() => pattern.exec(text)?.[0]),
        type: (keys: string) => child.stdin.write(keys),
        gone: () => (text = ''),
        get text() {
          return text;
        },
      };
    };
    const prompt = open();
    await prompt.until(/▸/);
    prompt.type('fleet[0].na');
    await prompt.until(/fleet\[0\]\.na$/);
    prompt.type('\t');
    await prompt.until(/fleet\[0\]\.name$|me$/);
    prompt.type('\r');
    await prompt.until(/'Heron'/);
    prompt.type('setTimeout(() => console.log("late"), 300).hasRef()\r');
    await prompt.until(/true/);
    prompt.type('1000 + half');
    await prompt.until(/late\r\n[^\n]*▸[^\n]*1000 \+ half/);
    prompt.type('\u007f\u007f\u007f\u007f24\r');
    await prompt.until(/1024/);
    // A wait is given up, and its result told when it comes.
    prompt.type('await new Promise((resolve) => setTimeout(() => resolve("at last"), 900))\r');
    await wait(200);
    prompt.type('\u0003');
    await prompt.until(/it goes on in the program/);
    await prompt.until(/'at last'/);
    prompt.type('\u0004');
    await new Promise((resolve) => prompt.child.once('exit', resolve));
    const history = join(env.XDG_STATE_HOME, 'usher-anvil', 'entered.jsonl');
    expect(statSync(history).mode & 0o777).toBe(0o600);
    expect(readFileSync(history, 'utf8').split('\n')[0]).toBe('"fleet[0].name"');
    const again = open();
    await again.until(/▸/);
    again.gone();
    again.type('\u001b[A\u001b[A');
    await again.until(/1000 \+ 24/);
    again.type('\u0003\u0004');
    await new Promise((resolve) => again.child.once('exit', resolve));
  });
});

test('a device with little memory takes what is pushed to the script it runs, and goes on streaming', async () => {
  const { dir, env, at, cli: run } = home({});
  cpSync(join(root, 'examples/gauge'), dir, { recursive: true });
  const device = start(['live', 'device.ts', '--listen', '--memory', '48'], { cwd: dir, env });
  running.push(device);
  await device.until(/listens on 127\.0\.0\.1:\d+, token \S+/);
  await device.until(/\d\.\d{3} {2}\d\.\d{3} {2}\d\.\d{3}/);
  const { address, token } = targets(at)[0]!;
  const push = 'function measure({ upper }: Probes): number[] { return [upper * 100]; }';
  expect(run('prompt', address, '--token', token, '--in', 'script.ts', '--evaluate', push).stdout).toBe(
    'measure patched\n',
  );
  await device.until(/\n490\.000\n490\.000\n/);
  const limit = run(
    'prompt',
    'device',
    '--evaluate',
    '(await import("node:v8")).getHeapStatistics().heap_size_limit / 2 ** 20',
  ).stdout;
  expect(Number(limit)).toBeLessThan(300);
  const clock = Number(run('prompt', 'device', '--evaluate', 'clock').stdout);
  const file = join(dir, 'script.ts');
  writeFileSync(file, readFileSync(file, 'utf8').replace('upper + ripple, ', 'upper * 1000, '));
  await device.until(/4900\.000 {2}/);
  expect(Number(run('prompt', 'device', '--evaluate', 'clock').stdout)).toBeGreaterThan(clock);
});

test('a program whose output nobody reads any more ends, as any program does', async () => {
  const { live, at } = home();
  const program = await live('chamber.ts');
  await program.until(/level \d+/);
  program.child.stdout.destroy();
  expect(await program.exited).toBe(1);
  expect(targets(at)).toEqual([]);
});

test('live follows a program of that name, and leaves it running', async () => {
  const { live, dir, env, at } = home();
  const program = await live('chamber.ts');
  mkdirSync(join(dir, 'chamber'));
  const follower = start(['live', 'chamber'], { cwd: dir, env });
  running.push(follower);
  await follower.until(/chamber {2}process \d+, 1 file, since .*\n/);
  await follower.until(/level \d+/);
  writeFileSync(
    join(dir, 'chamber.ts'),
    CHAMBER.replace('level += by', 'level += by * 100_000').replace(
      'setInterval(() => fill',
      'fill(0);\nsetInterval(() => fill',
    ),
  );
  await follower.until(/chamber\.ts {2}fill patched · 1 statement waits\n {4}line 6: fill\(0\);/);
  await follower.until(/level \d{6}/);
  follower.child.kill('SIGINT');
  expect(await follower.exited).toBe(0);
  expect([program.child.exitCode, targets(at).length]).toEqual([null, 1]);
});

test('registrations are of their format, and a name is free of what a path may not hold', () => {
  const at = join(folder(), 'targets');
  const entry: Registration = {
    format: 'usher-anvil/target@1',
    name: 'weir',
    pid: process.pid,
    door: process.pid,
    entry: '/canal/weir.ts',
    files: [],
    since: new Date().toISOString(),
    address: '127.0.0.1:1',
    token: 't',
  };
  register(entry, at);
  expect(targets(at)).toEqual([entry]);
  expect(freeName('/canal/a weir/../weir.ts', at)).toBe('weir-2');
  expect(freeName('/canal/the weir.ts', at)).toBe('the-weir');
  register({ ...entry, name: 'gone', door: 2 ** 22 + 1 }, at);
  expect(targets(at)).toEqual([entry]);
  expect(existsSync(join(at, `gone-${2 ** 22 + 1}.json`))).toBe(false);
  // A name is short, has no control characters, and hides no file.
  expect(freeName(`/canal/${'l'.repeat(240)}.ts`, at)).toBe('l'.repeat(50));
  expect(freeName('/canal/..\u001b[2J.ts', at)).toBe('2J');
  // Two that registered at the same moment are told apart by their processes.
  register({ ...entry, pid: 4711, door: process.ppid }, at);
  expect(() => targetNamed('weir', at)).toThrow(/2 programs are live under the name weir.*by its process: /);
  expect(targetNamed('4711', at).pid).toBe(4711);
});

test('a registration that somebody forged, or of a process whose number another has now, does no harm', () => {
  const at = join(folder(), 'targets');
  const dir = folder({ 'ledger.ts': 'kept' });
  const gone = 2 ** 22 + 3;
  const entry = {
    format: 'usher-anvil/target@1',
    name: 'weir',
    pid: gone,
    door: gone,
    entry: '/canal/weir.ts',
    files: [],
    since: new Date().toISOString(),
    address: join(dir, 'ledger.ts'),
    token: 't',
  };
  register({ ...entry, name: 'first', address: '127.0.0.1:1', door: process.pid } as Registration, at);
  const forged: [string, object][] = [
    [`weir-${gone}.json`, entry],
    [`weir-${gone}.json`, { ...entry, address: join(at, `first-${process.pid}.json`) }],
    ['other.json', { ...entry, name: 'first', door: gone, address: '127.0.0.1:1' }],
    [`x-${gone}.json`, { ...entry, name: '../../x' }],
    [`0-0.json`, { ...entry, name: '0', door: 0 }],
    [`n-${process.pid}.json`, { ...entry, name: 'n', door: process.pid, since: 'yesterday' }],
    [`e-${process.pid}.json`, { ...entry, name: 'e\u001b[2J', door: process.pid }],
    ['none.json', []],
  ];
  for (const [name, text] of forged) {
    writeFileSync(join(at, name), JSON.stringify(text));
    expect(targets(at).map((one) => one.name)).toEqual(['first']);
  }
  expect(readFileSync(join(dir, 'ledger.ts'), 'utf8')).toBe('kept');
  // This process began long after such a program.
  register(
    {
      ...entry,
      name: 'old',
      address: '127.0.0.1:1',
      door: process.pid,
      since: '2001-01-01T00:00:00.000Z',
    } as Registration,
    at,
  );
  expect(targets(at).map((one) => one.name)).toEqual(process.platform === 'linux' ? ['first'] : ['old', 'first']);
});

test(
  'watch shows a file of a live program in the terminal: counts with ' +
    'rates, one function with its values, its console',
  async () => {
    const { live, dir, env, cli: run } = home();
    const program = await live('chamber.ts');
    const watching = start(['watch', 'chamber', '--look', 'fill'], { cwd: dir, env });
    running.push(watching);
    await watching.until(/function fill\(by: number\) \{ │ \d+\/s · ×\d+ · by 1/);
    expect(watching.text).toMatch(/chamber {2}chamber\.ts {2}live · process \d+ {2}values of fill/);
    expect(watching.text).toMatch(/level \+= by; │ \d+ ×\d+/);
    await watching.until(/Console [\d,]+\n(?: +7 {3}level \d+\n)+/);
    // A file that is not there, and a program that ends.
    expect(run('watch', 'chamber', '--in', 'nosuch.ts')).toMatchObject({
      code: 2,
      stderr: 'nosuch.ts is no module of chamber; its modules are chamber.ts\n',
    });
    await program.end();
    await watching.until(/the program (?:has|was) ended/);
    expect(await watching.exited).toBe(0);
  },
);
