/** Saving a person's file: whole at every moment, and with everything about it as it was. */
import { spawnSync } from 'node:child_process';
import { chmodSync, linkSync, lstatSync, mkdirSync, readdirSync, readFileSync, statSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { saveText } from '#dist/hosts/node/saving.js';
import { asBefore, sameText } from '#dist/syntax/line-ends.js';
import { folder, root } from '../../../test/harness.js';

test('mode and links stay, and nothing lies beside the file afterwards', () => {
  const dir = folder({ 'gate.sh': 'old\n', 'real/lock.ts': 'old\n', 'one.ts': 'old\n' });
  chmodSync(join(dir, 'gate.sh'), 0o750);
  saveText(join(dir, 'gate.sh'), 'new\n');
  expect([statSync(join(dir, 'gate.sh')).mode & 0o777, readFileSync(join(dir, 'gate.sh'), 'utf8')]).toEqual([
    0o750,
    'new\n',
  ]);
  symlinkSync('real/lock.ts', join(dir, 'lock.ts'));
  saveText(join(dir, 'lock.ts'), 'new\n');
  expect(lstatSync(join(dir, 'lock.ts')).isSymbolicLink()).toBe(true);
  expect(readFileSync(join(dir, 'real/lock.ts'), 'utf8')).toBe('new\n');
  linkSync(join(dir, 'one.ts'), join(dir, 'two.ts'));
  saveText(join(dir, 'one.ts'), 'longer than before\n');
  saveText(join(dir, 'one.ts'), 'new\n');
  expect(readFileSync(join(dir, 'two.ts'), 'utf8')).toBe('new\n');
  expect(readdirSync(dir).sort()).toEqual(['gate.sh', 'lock.ts', 'one.ts', 'real', 'two.ts']);
  expect(readdirSync(join(dir, 'real'))).toEqual(['lock.ts']);
});

test('a file that is not there is made; a name of 255 characters can be saved', () => {
  const dir = folder();
  const long = `${'l'.repeat(252)}.ts`;
  for (const name of ['new.ts', long]) saveText(join(dir, name), 'level\n');
  expect(readFileSync(join(dir, long), 'utf8')).toBe('level\n');
  expect(readdirSync(dir)).toHaveLength(2);
});

test('a save that cannot be done leaves the file as it was', () => {
  const dir = folder({ 'lock.ts': 'old\n' });
  mkdirSync(join(dir, 'folder.ts'));
  expect(() => saveText(join(dir, 'folder.ts'), 'new\n')).toThrow();
  expect(() => saveText(join(dir, 'none/lock.ts'), 'new\n')).toThrow(/ENOENT/);
  expect(readdirSync(dir).sort()).toEqual(['folder.ts', 'lock.ts']);
});

test('whenever it is killed, the file holds the old text or the new one, whole', () => {
  const dir = folder({ 'lock.ts': 'a'.repeat(3_000_000) });
  const file = join(dir, 'lock.ts');
  const saving = `import { saveText } from ${JSON.stringify(join(root, 'dist/hosts/node/saving.js'))};
console.log('begin');
for (let i = 0; ; i++) saveText(${JSON.stringify(file)}, (i % 2 === 0 ? 'b' : 'a').repeat(3_000_000));`;
  for (let i = 0; i < 12; i++) {
    spawnSync(process.execPath, ['--input-type=module', '-e', saving], {
      timeout: 300 + i * 17,
      killSignal: 'SIGKILL',
    });
    const text = readFileSync(file, 'utf8');
    expect(text.length === 3_000_000 && new Set(text).size === 1).toBe(true);
  }
  // What the killed ones left beside it goes with the next save.
  saveText(file, 'whole');
  expect(readdirSync(dir)).toEqual(['lock.ts']);
});

test('where the disk takes no more, the text that was there stays, and nothing is left beside it', () => {
  const dir = folder({ 'lock.ts': 'old\n' });
  const saving = `import { saveText } from ${JSON.stringify(join(root, 'dist/hosts/node/saving.js'))};
try { saveText('lock.ts', 'n'.repeat(200_000)); } catch (error) { console.log(error.code); }`;
  // A limit of 4 KiB for each file, whose signal is ignored, is an error of the write as a full disk is.
  const { stdout } = spawnSync(
    'sh',
    ['-c', `trap '' XFSZ; ulimit -f 8; exec "$0" --input-type=module -e "$1"`, process.execPath, saving],
    {
      cwd: dir,
      encoding: 'utf8',
    },
  );
  expect(stdout).toBe('EFBIG\n');
  expect(readFileSync(join(dir, 'lock.ts'), 'utf8')).toBe('old\n');
  expect(readdirSync(dir)).toEqual(['lock.ts']);
});

describe('line ends', () => {
  test.each([
    ['a\r\nb\r\n', 'a\nb\nc\n', 'a\r\nb\r\nc\r\n'],
    ['a\r\nb', 'a\nb2', 'a\r\nb2'],
    ['\uFEFFa\r\n', 'a\nb\n', '\uFEFFa\r\nb\r\n'],
    ['\uFEFFa\n', '\uFEFFa\nb\n', '\uFEFFa\nb\n'],
    ['a\nb\r\nc\n', 'a\nb\nx\nc\n', 'a\nb\r\nx\nc\n'],
    ['a\n', 'a\nb', 'a\nb'],
    ['', 'a\n', 'a\n'],
  ])('%j, changed to %j, is saved as %j', (before, text, saved) => {
    expect(asBefore(text, before)).toBe(saved);
  });

  test('a text that an editor only opened is saved as it was, with whatever ends', () => {
    const line = fc.tuple(fc.constantFrom('level', '', 'gate', '  '), fc.constantFrom('\n', '\r\n'));
    fc.assert(
      fc.property(fc.array(line, { maxLength: 12 }), fc.constantFrom('', 'last'), (lines, last) => {
        const before = lines.map(([text, end]) => text + end).join('') + last;
        const inEditor = before.replace(/\r\n/g, '\n');
        expect(asBefore(inEditor, before)).toBe(before);
        expect(sameText(inEditor, before)).toBe(true);
      }),
      { numRuns: 300 },
    );
  });
});
