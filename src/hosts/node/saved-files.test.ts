import { mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { SavedFiles, Saves } from '#dist/hosts/node/saved-files.js';

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'anvil-saves-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
/** Longer than anything is looked at again. */
const quiet = (): Promise<void> => wait(700);

describe('saves', () => {
  const files = (): { path: string; told: string[][]; saves: Saves } => {
    const told: string[][] = [];
    const path = join(folder, 'lock.ts');
    return { path, told, saves: new Saves((list) => told.push(list)) };
  };

  test('are told once, however often the watcher speaks', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, 'let level = 1;\n');
    saves.notice(path);
    saves.notice(path);
    await wait(40);
    saves.notice(path);
    await quiet();
    expect(told).toEqual([[path]]);
  });

  test('of several files within a moment are one change', async () => {
    const { path, told, saves } = files();
    const other = join(folder, 'gate.ts');
    writeFileSync(path, '1;');
    writeFileSync(other, '2;');
    saves.notice(path);
    saves.notice(other);
    await quiet();
    expect(told).toEqual([[path, other]]);
  });

  test('that the watcher passes over are found all the same', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, '1;');
    saves.notice(path);
    await wait(25);
    writeFileSync(path, '2;');
    await quiet();
    expect(told).toEqual([[path], [path]]);
  });

  test('with the text that stood there before are saves too', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, '1;');
    saves.notice(path);
    await quiet();
    writeFileSync(path, '1;');
    saves.notice(path);
    await quiet();
    expect(told).toEqual([[path], [path]]);
  });

  test('are not told of a file that is emptied before it is written', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, '');
    saves.notice(path);
    await wait(30);
    expect(told).toEqual([]);
    writeFileSync(path, '1;');
    await quiet();
    expect(told).toEqual([[path]]);
  });

  test('of nothing are told when the file stays empty', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, '');
    saves.notice(path);
    await quiet();
    expect(told).toEqual([[path]]);
  });

  test('end when they are closed', async () => {
    const { path, told, saves } = files();
    writeFileSync(path, '1;');
    saves.notice(path);
    saves.close();
    await quiet();
    expect(told).toEqual([]);
  });
});

test('a file that an editor replaces is watched on', async () => {
  const path = join(folder, 'lock.ts');
  writeFileSync(path, '1;');
  const told: string[] = [];
  const files = new SavedFiles((list) => told.push(...list));
  files.add([path]);
  // Until the watcher is ready, nothing is seen.
  for (let i = 0; i < 100 && told.length === 0; i++) {
    writeFileSync(path, `${i};`);
    await wait(100);
  }
  for (const text of ['a;', 'b;']) {
    await quiet();
    const before = told.length;
    writeFileSync(`${path}.new`, text);
    renameSync(`${path}.new`, path);
    for (let i = 0; i < 100 && told.length === before; i++) await wait(100);
    expect(told.length).toBeGreaterThan(before);
  }
  await files.close();
});

test('a file that is saved as soon as it is to be watched is told of', async () => {
  const path = join(folder, 'lock.ts');
  writeFileSync(path, '1;');
  const told: string[] = [];
  const files = new SavedFiles((list) => told.push(...list));
  files.add([path]);
  writeFileSync(path, '2;');
  for (let i = 0; i < 100 && told.length === 0; i++) await wait(100);
  await quiet();
  expect(told).toEqual([path]);
  await files.close();
});
