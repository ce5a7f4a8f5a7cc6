/** `usher-anvil walk` as a process: words in a pipe, keys in a terminal, JSON. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { walkSchema } from 'usher-anvil/record';
import { cli, cliPath, folder, root } from './harness.js';

const TOLLS = `import test from 'node:test'
import assert from 'node:assert/strict'

function discount(passages) {
  return passages > 5 ? 0.9 : 1
}
function toll(full, passages) {
  const part = discount(passages)
  return full * part
}
test('a toll', () => {
  assert.equal(toll(100, 1), 100)
})
test('the fifth passage', () => {
  assert.equal(toll(100, 5), 90)
})
`;

function walked(
  words: string,
  args: string[] = [],
  text = TOLLS,
): { stdout: string; stderr: string; status: number | null } {
  const dir = folder({ 'tolls.mjs': text });
  const { stdout, stderr, status } = spawnSync(process.execPath, [cliPath, 'walk', 'tolls.mjs', ...args], {
    cwd: dir,
    input: words,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', NODE_OPTIONS: '' },
  });
  return { stdout, stderr, status };
}

/** The lines at which one stopped, with the code there. */
function stops(stdout: string): string[] {
  return stdout
    .split('\n')
    .filter((line) => line.startsWith('▶'))
    .map((line) => line.replace(/^▶ +(\d+) +/, '$1 '));
}

test('from the failure backwards, and to where a value came from', () => {
  const { stdout, status } = walked('back into\nset passages\nback out\nover\nback over\nquit\nback into\n');
  expect(status).toBe(1);
  expect(stops(stdout)[0]).toBe('9 return full * part');
  expect(stdout).toMatch(/toll < test\(\)\n/);
  expect(stdout).toMatch(/part +1 +changed/);
  expect(stops(stdout)[1]).toBe('5 return passages > 5 ? 0.9 : 1');
});

test('other places to begin at, words that are none, and the ends of the run', () => {
  const alone = walked('frames\nover\nhop\n', ['--test', 'a toll']);
  expect(stops(alone.stdout)[0]).toMatch(/^(9|12) /);
  expect(alone.stdout).toContain('back before them');
  const line = walked('back over\n', ['--from', '8:2']);
  expect(stops(line.stdout)).toEqual(['8 const part = discount(passages)', '15 assert.equal(toll(100, 5), 90)']);
  const end = walked('end\nover\n', ['--from', '1']);
  expect(end.stderr).toMatch(/E_OPTION .*did not come by/);
  const over = walked('out\nout\nout\nout\n');
  expect(over.stdout).toContain('nothing more was recorded that way');
  expect(walked('', ['--test', 'nothing']).stderr).toMatch(
    /E_OPTION {2}No test is called nothing\. There are a toll, /,
  );
  expect(walked('', ['--format', 'xml']).stderr).toMatch(/E_OPTION/);
  expect(walked('', [], 'const = 1\n').stderr).toMatch(/E_SYNTAX .*tolls\.mjs:1/);
  expect(walked('', [], '').stderr).toMatch(/came by no statement/);
});

test('as JSON, by its published schema', () => {
  const { stdout, status } = walked('', ['--format', 'json']);
  expect(status).toBe(1);
  const given = walkSchema.parse(JSON.parse(stdout));
  expect(given.frames.map(({ name }) => name)).toEqual([
    'module',
    'test()',
    'toll',
    'discount',
    'test()',
    'toll',
    'discount',
  ]);
  expect(given.variables.find(({ name }) => name === 'part')!.value).toBe('1');
  const schema = JSON.parse(readFileSync(join(root, 'dist/walk.schema.json'), 'utf8')) as { $id: string };
  expect(schema.$id).toBe('usher-anvil/walk@1');
});

test('a program without tests that ends well begins at its last step', () => {
  const { stdout, status } = walked('', [], 'let level = 1\nlevel += 2\nconsole.log(level)\n');
  expect(status).toBe(0);
  expect(stops(stdout)).toEqual(['3 console.log(level)']);
  expect(stdout).toMatch(/level +3 +changed/);
});

test('keys of a terminal', () => {
  const dir = folder({ 'tolls.mjs': TOLLS });
  const command = `(sleep 3; printf '\\033[D'; sleep 0.3; printf 'f'; sleep 0.3; printf 'q') | script -qec "${process.execPath} ${cliPath} walk tolls.mjs" /dev/null`;
  const { stdout, status } = spawnSync('sh', ['-c', command], {
    cwd: dir,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
  });
  if (spawnSync('sh', ['-c', 'command -v script']).status !== 0) return;
  expect(status).toBe(1);
  expect(stops(stdout.replaceAll('\r', '')).length).toBe(3);
  expect(stdout).toContain('← back');
});

test('help names the keys', () => {
  expect(cli(['walk', '--help']).stdout).toMatch(/the failure; q ends/);
});

test('of a long run a part is kept; others are after one more execution, and a value is followed forwards', () => {
  const text = `let total = 0
const first = Math.random()
for (let i = 0; i < 300_000; i++) {
  total += i
}
throw new Error('too much ' + first)
`;
  const words = 'back over\nstep 2\nset next total\nset next total\nkeep\nstart\nstep 9999999\nquit\n';
  const { stdout, status } = walked(words, [], text);
  expect(status).toBe(1);
  expect(stdout).toMatch(/Of 600,00\d steps [\d,]+ to 600,00\d are kept\. “keep”/);
  expect(stops(stdout)).toEqual([
    "6 throw new Error('too much ' + first)",
    expect.stringMatching(/^[34] /),
    '2 const first = Math.random()',
    '4 total += i',
    '4 total += i',
    '4 total += i',
    "6 throw new Error('too much ' + first)",
  ]);
  const values = [...stdout.matchAll(/first +(0\.\d+)/g)].map(([, value]) => value);
  expect(new Set(values).size).toBe(1);
  expect(stdout).toContain('The run has 600,00');
});
