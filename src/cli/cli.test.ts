import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv from 'ajv/dist/2020.js';
import { cli, cliPath, eventually, folder, root, start, wait } from '../../test/harness.js';

const tolls = 'examples/tolls/tolls.ts';

describe('usher-anvil run', () => {
  test('prints the demo pad with rail and values, then console, tests and errors', () => {
    const { code, stdout } = cli(['run', tolls, '--width', '100']);
    expect(code).toBe(1);
    const line = (number: number): string =>
      stdout.split('\n').find((text) => new RegExp(`^.. +${number}  `).test(text)) ?? '';
    expect(stdout).toMatch(/^examples\/tolls\/tolls\.ts {2}worker · [\d.]+ m?s {2}1 of 3 tests failed\n/);
    expect(line(6)).toBe('▏   6  const night = { from: 22, to: 5 }; │ { from: 22, to: 5 }');
    expect(line(24)).toMatch(/^┊ {2}24 {2}function refund/);
    expect(line(30)).toMatch(/^╎ .*│ 1 ×9$/);
    expect(line(55)).toMatch(/^◤ .*│ received 750, expected 675$/);
    expect(stdout).toContain('  39   Heron pays 850 pence\n');
    expect(stdout).toContain('✗ the discount begins at the fifth passage');
    expect(Math.max(...stdout.split('\n').map((text) => text.length))).toBeLessThanOrEqual(110);
  });

  test('prints JSON that its published schema accepts', () => {
    const { code, stdout } = cli(['run', tolls, '--format', 'json']);
    expect(code).toBe(1);
    const record = JSON.parse(stdout) as {
      format: string;
      outcome: string;
      sites: unknown[];
      samples: { site: number; value: unknown }[];
      lines: unknown[];
      tests: { name: string; state: string; line: number }[];
    };
    const schema = JSON.parse(readFileSync(join(root, 'dist/record.schema.json'), 'utf8')) as object;
    const validate = new Ajv({ strict: false }).compile(schema);
    expect(validate(record) ? [] : validate.errors).toEqual([]);
    expect(validate({ ...record, format: 'usher-anvil/record@2' })).toBe(false);
    expect(record).toMatchObject({ format: 'usher-anvil/record@1', outcome: 'failed' });
    expect(record.tests.map((test) => [test.line, test.state])).toEqual([
      [45, 'passed'],
      [49, 'passed'],
      [53, 'failed'],
    ]);
    expect(record.samples.length).toBeGreaterThan(50);
    expect(record.lines.length).toBeGreaterThan(30);
  });

  test('opens values below their lines, so many levels deep', () => {
    const dir = folder({
      'open.ts': "const boats = [{ name: 'Heron', cargo: [{ tonnes: 12 }] }];\nconst level = 3;\n",
    });
    const { stdout } = cli(['run', join(dir, 'open.ts'), '--expand', '2', '--width', '100']);
    expect(stdout.split('\n').slice(2, 8)).toEqual([
      "▏   1  const boats = [{ name: 'Heron', cargo: [{ tonnes: 12 }] }]; │ [{ name: 'Heron', cargo: Array(…",
      "      │ 0: { name: 'Heron', cargo: Array(1) }",
      "      │   name: 'Heron'",
      '      │   cargo: [{…}]',
      '▏   2  const level = 3; │ 3',
      '',
    ]);
    expect(cli(['run', join(dir, 'open.ts'), '--expand', 'all']).stderr).toContain('E_OPTION  --expand is "all"');
  });

  test('shows everything as of a visit, or of a moment', () => {
    const fourth = cli(['run', tolls, '--at', '19:4', '--width', '100']);
    expect(fourth.stdout).toMatch(/^examples\/tolls\/tolls\.ts {2}worker · .* as of moment \d+ of \d+\n/);
    expect(fourth.stdout).toMatch(/19 {6}sum \+= tonnes \* rate; │ \d+ 4 of 11/);
    expect(fourth.stdout).not.toContain('received 750');
    expect(cli(['run', tolls, '--at', '1']).stdout).toMatch(/┊ {3}6 {2}const night[^│]*\n/);
    expect(cli(['run', tolls, '--at', 'noon']).stderr).toContain('Give a line and a visit');
    expect(cli(['run', tolls, '--at', '1:1']).stderr).toContain('Line 1 reported no value');
  });

  test.each([[[]], [['--process']]])(
    'nothing is left behind when the command itself is killed %s',
    async (flags: string[]) => {
      const dir = folder({
        'stay.ts':
          "import { writeFileSync } from 'node:fs';\nclass A { #n = 1; }\nnew A();\n" +
          "writeFileSync('pid', String(process.pid));\nsetInterval(() => console.log(1), 20);\n",
      });
      const run = start(['run', 'stay.ts', '--time-limit', '60s', ...flags], { cwd: dir });
      const pid = Number(
        await eventually(() => existsSync(join(dir, 'pid')) && readFileSync(join(dir, 'pid'), 'utf8')),
      );
      expect(process.kill(pid, 0)).toBe(true);
      await run.end();
      await eventually(() => {
        try {
          process.kill(pid, 0);
          return false;
        } catch {
          return true;
        }
      });
    },
  );

  test('marks stand beside their lines, and what they cannot do too', () => {
    const dir = folder({
      'marks.ts':
        "const boats = ['Heron', 'Otter'] /*~ it.length */;\n" +
        'boats.map((b) => b.length) //~ plit:\nboats //~ it.first.name\n',
    });
    const { code, stdout } = cli(['run', join(dir, 'marks.ts'), '--width', '140']);
    expect(code).toBe(0);
    expect(stdout).toMatch(/1 {2}const boats.*│ 2\n/);
    expect(stdout).toMatch(
      /2 {2}boats\.map.*│ There is no mark "plit:"\. There are time:, plot:, table:, keep:, when:/,
    );
    expect(stdout).toMatch(/3 {2}boats .*│ the mark failed: TypeError: Cannot read properties of undefined/);
  });

  test('tells what the demo pads of log and soundings show', () => {
    const log = cli(['run', 'examples/passages/passages.ts', '--width', '120']).stdout;
    expect(log).toContain('4196 passages, 5 broken lines');
    expect(log).toMatch(
      /Shown 2\n +33 +table +Tonnes by lock\n[^]*Alder +\d+[^]*\n +38 +plot +Passages by month +[▁▂▃▄▅▆▇█]+/,
    );
    expect(cli(['run', 'examples/soundings/soundings.ts']).stdout).toMatch(
      /Shown 1\n +32 +paint +Depth of the basin in metres +320 × 200/,
    );
  });

  test('reports every slip of the broken pad and exits with 1', () => {
    const { code, stdout } = cli(['run', 'examples/tolls/broken.ts']);
    expect(code).toBe(1);
    expect(stdout).toContain('3 syntax errors');
    for (const line of [4, 8, 14]) expect(stdout).toMatch(new RegExp(`✗ examples/tolls/broken\\.ts:${line} `));
  });

  test('exits as the program does, and with 1 when it failed or was stopped', () => {
    const dir = folder({
      'ok.ts': 'const a = 1;\n',
      'exit.ts': 'process.exit(0);\n',
      'exit3.ts': 'process.exit(3);\n',
      'loop.ts': 'for (;;) {}\n',
      'throw.ts': 'throw 1;\n',
    });
    expect(cli(['run', 'ok.ts'], { cwd: dir }).code).toBe(0);
    expect(cli(['run', 'exit.ts'], { cwd: dir }).code).toBe(0);
    expect(cli(['run', 'exit3.ts'], { cwd: dir }).code).toBe(3);
    expect(cli(['run', 'throw.ts'], { cwd: dir }).code).toBe(1);
    const loop = cli(['run', 'loop.ts', '--time-limit', '3s'], { cwd: dir });
    expect([loop.code, loop.stdout]).toEqual([
      1,
      expect.stringContaining('did not come to an end in the loop at line 1'),
    ]);
  });

  test('passes arguments, and standard input to a pad on a main thread', () => {
    const dir = folder({
      'args.ts': 'process.argv.slice(2);\n',
      'input.ts': "let text = '';\nfor await (const chunk of process.stdin) text += chunk;\ntext.trim();\n",
    });
    expect(cli(['run', 'args.ts', 'one', 'two'], { cwd: dir }).stdout).toContain("│ ['one', 'two']");
    expect(cli(['run', 'input.ts'], { cwd: dir, input: 'Heron\n' }).stdout).toContain("│ 'Heron'");
  });

  test.each([
    [['run'], /missing required argument/],
    [['run', 'none.ts'], /E_NOT_FOUND {2}none\.ts does not exist/],
    [['run', 'examples'], /E_IS_FOLDER {2}examples is a folder\..*usher-anvil open/],
    [['run', 'LICENSE'], /E_NOT_A_PAD/],
    [['run', tolls, '--format', 'xml'], /E_OPTION {2}--format is "xml"/],
    [['run', tolls, '--time-limit', 'soon'], /E_OPTION {2}--time-limit is "soon"/],
    [['run', tolls, '--loud'], /unknown option/],
    [['fly'], /unknown command/],
    [['open', 'nowhere'], /E_NOT_FOUND/],
  ])('wrong usage (%j) exits with 2 and says what to do', (args, message) => {
    const { code, stderr } = cli(args);
    expect([code, stderr]).toEqual([2, expect.stringMatching(message)]);
  });

  test('every command has help with an example', () => {
    for (const command of ['run', 'watch', 'open', 'live', 'demo']) {
      const { code, stdout } = cli([command, '--help']);
      expect([code, stdout]).toEqual([0, expect.stringMatching(/Examples?:\n {2}usher-anvil /)]);
    }
    expect(cli(['--help']).stdout).toMatch(/run .*watch .*open .*live .*demo /s);
  });

  test('control characters of a pad cannot steer the terminal', () => {
    const dir = folder({ 'mean.ts': "console.log('\\u001b[2Jgone');\nconst a = '\\u001b]0;title\\u0007';\n" });
    const { stdout } = cli(['run', 'mean.ts'], { cwd: dir });

    expect(stdout).not.toMatch(/[\u0000-\u0008\u000b-\u001f]/);
    expect(stdout).toContain('␛[2Jgone');
  });
});

describe('usher-anvil watch', () => {
  test('prints a plain listing at each save when it is not a terminal', async () => {
    const dir = folder({ 'toll.ts': 'const rate = 4;\n' });
    const watching = start(['watch', 'toll.ts'], { cwd: dir });
    await watching.until(/const rate = 4; │ 4/);
    const from = watching.text.length;
    writeFileSync(join(dir, 'toll.ts'), 'const rate = 5;\nrate * 2;\n');
    await watching.until(/rate \* 2; │ 10/, from);

    expect(watching.text).not.toMatch(/\u001b/);
    watching.child.kill('SIGINT');
    expect(await watching.exited).toBe(0);
  });
});

describe('usher-anvil live', () => {
  test('a script that asks for a document says where it has one', () => {
    const { code, stderr } = cli(['live', 'examples/chamber/chamber.ts']);
    expect(code).toBe(1);
    expect(stderr).toMatch(
      /asks for a document, and Node has none\. See it beside its code: usher-anvil open examples\/chamber\/chamber\.ts\n$/,
    );
  });

  test('the filling chamber takes a changed rate and a new helper without starting again', async () => {
    const dir = folder({
      'filling.ts': readFileSync(join(root, 'examples/chamber/filling.ts'), 'utf8').replace('}, 250)', '}, 30)'),
      'gauge.ts': readFileSync(join(root, 'examples/chamber/gauge.ts'), 'utf8'),
    });
    const file = join(dir, 'filling.ts');
    let text = readFileSync(file, 'utf8');
    const save = (search: string, by: string): void => {
      expect(text).toContain(search);
      text = text.replace(search, by);
      writeFileSync(file, text);
    };
    const live = start(['live', 'filling.ts'], { cwd: dir });
    await live.until(/0\.75 m tick 3, fill 0/);
    save('RATE = 0.25', 'RATE = 0.5');
    await live.until(/filling\.ts {2}RATE assigned\n/);
    save(
      'function fill()',
      'const SLOW = 0.25;\nfunction ramp(level: number): number {\n' +
        '  return level > 4 ? SLOW : 1;\n}\n\nfunction fill()',
    );
    await live.until(/filling\.ts {2}SLOW, ramp added\n/);
    save('chamber.level + RATE)', 'chamber.level + RATE * ramp(chamber.level))');
    await live.until(/filling\.ts {2}fill patched\n/);
    let from = live.text.length;
    save('void {', 'void {{');
    await live.until(/filling\.ts {2}syntax errors?, nothing changed\n/, from);
    await live.until(/tick \d+/, live.text.length);
    from = live.text.length;
    save('void {{', "void {\n  if (chamber.ticks > 1e9) throw new Error('never');");
    await live.until(/fill patched/, from);
    writeFileSync(join(dir, 'gauge.ts'), readFileSync(join(dir, 'gauge.ts'), 'utf8').replace("'#'", "'='"));
    await live.until(/gauge\.ts {2}drawGauge patched\n/);
    await live.until(/=+\.* [\d.]+ m tick/, live.text.length);
    const ticks = [...live.text.matchAll(/tick (\d+)/g)].map((match) => Number(match[1]));
    ticks.forEach((tick, index) => expect(tick).toBe(index + 1));
    await live.end();
  });

  test('a patch that throws is reported at its line, and the next good save replaces it', async () => {
    const dir = folder({
      'loop.ts':
        'let n = 0;\nfunction step(): void {\n  n++;\n}\nsetInterval(() => {\n' +
        '  step();\n  console.log(`n ${n}`);\n}, 20);\n',
    });
    const live = start(['live', 'loop.ts'], { cwd: dir });
    await live.until(/n 3/);
    writeFileSync(
      join(dir, 'loop.ts'),
      "let n = 0;\nfunction step(): void {\n  n++;\n  throw new RangeError('over');\n}\n" +
        'setInterval(() => {\n  step();\n  console.log(`n ${n}`);\n}, 20);\n',
    );
    await live.until(/loop\.ts {2}line 4 {2}RangeError: over/);
    writeFileSync(
      join(dir, 'loop.ts'),
      'let n = 0;\nfunction step(): void {\n  n += 100;\n}\nsetInterval(() => {\n' +
        '  step();\n  console.log(`n ${n}`);\n}, 20);\n',
    );
    await live.until(/n \d{3}/);
    await live.end();
  });

  test('keeps exit code and output of the program, and refuses one that does not parse', async () => {
    const dir = folder({
      'ends.ts': "console.log('ran', process.argv.slice(2).join());\nprocess.exitCode = 4;\n",
      'broken.ts': 'const a = ;\n',
    });
    const ends = cli(['live', 'ends.ts', '--', 'x', 'y'], { cwd: dir });
    expect([ends.code, ends.stdout]).toEqual([4, 'ran x,y\n']);
    const broken = cli(['live', 'broken.ts'], { cwd: dir });
    expect([broken.code, broken.stderr]).toEqual([
      1,
      expect.stringMatching(/broken\.ts {2}line 1 {2}Unexpected token/),
    ]);
    await wait(1);
  });
});

test('a pad that is piped in', () => {
  const { code, stdout } = cli(['run', '-', '--format', 'json'], {
    input: 'const level: number = 4\nconsole.log(level * 2)\n',
  });
  const record = JSON.parse(stdout) as { outcome: string; console: { text: string }[] };
  expect([code, record.outcome, record.console.map((entry) => entry.text)]).toEqual([0, 'ok', ['8']]);
  const refused = cli(['run', '-', '--input', '-'], { input: '' });
  expect([refused.code, refused.stderr]).toEqual([2, expect.stringMatching(/E_OPTION.*Standard input is the pad/)]);
});

test('a careful run exits with 1 while something is held, and with 0 when all of it was let through', () => {
  const dir = folder({ 'toll.mjs': "import { writeFile } from 'node:fs/promises'\nawait writeFile('new.csv', 'x')\n" });
  const held = cli(['run', '--careful', 'toll.mjs'], { cwd: dir });
  expect([held.code, held.stdout]).toEqual([1, expect.stringContaining('write new.csv  held (1 byte)')]);
  expect(cli(['run', '--careful', 'toll.mjs', '--open', 'write new.csv'], { cwd: dir }).code).toBe(0);
});

test('whoever reads what is printed may leave before its end', () => {
  const { stderr, stdout } = spawnSync(
    'sh',
    ['-c', `"${process.execPath}" "${cliPath}" run "$0" | head -1`, longPad()],
    {
      encoding: 'utf8',
    },
  );
  expect(stdout.split('\n')).toHaveLength(2);
  expect(stderr).toBe('');
});

function longPad(): string {
  const dir = folder({
    'long.ts': 'for (let i = 0; i < 4000; i++) console.log(i, "a line that is long enough to fill a pipe");\n',
  });
  return join(dir, 'long.ts');
}
