/** The disk fails at every step of a save and of the journal: what a person typed is there, whole, old or new. */
import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Journal } from '#dist/server/workbench/journal.js';
import { saveText } from '#dist/hosts/node/saving.js';
import { folder, inTurn, root } from './harness.js';

const OLD = 'old text\n'.repeat(1_500);
const NEW = 'new text\n'.repeat(2_000);
const FAULTS = ['ENOSPC', 'EACCES', 'EIO', 'EROFS', 'kill', 'kill half'];

function fail(
  what: 'save' | 'keep',
  fault: string,
  step: number,
): { dir: string; steps: number; error: string; killed: boolean } {
  const dir = folder({ 'lock.ts': OLD });
  const { stdout, signal } = spawnSync(
    process.execPath,
    [join(root, 'test/hostile/faulty.mjs'), what, fault, String(step), dir],
    { encoding: 'utf8' },
  );
  const { step: steps, error } = signal ? { step, error: '' } : (JSON.parse(stdout) as { step: number; error: string });
  return { dir, steps, error, killed: signal === 'SIGKILL' };
}

test.each(inTurn(FAULTS, 3))('%s at each step of a save', (fault) => {
  for (let step = 1, steps = 1; step <= steps; step++) {
    const came = fail('save', fault, step);
    steps = came.killed ? step + 1 : Math.max(came.steps, fault.startsWith('kill') ? 0 : steps);
    const file = join(came.dir, 'lock.ts');
    const text = readFileSync(file, 'utf8');
    expect([fault, step, text === OLD || text === NEW]).toEqual([fault, step, true]);
    // A save that says nothing has been done.
    if (!came.killed && came.error === '') expect(text).toBe(NEW);
    saveText(file, 'after\n');
    expect([fault, step, readdirSync(came.dir)]).toEqual([fault, step, ['lock.ts']]);
    if (fault.startsWith('kill') && !came.killed) break;
    expect(step).toBeLessThan(60);
  }
});

test.each(inTurn(FAULTS, 3))('%s at each step of keeping what is typed', (fault) => {
  for (let step = 1, steps = 1; step <= steps; step++) {
    const came = fail('keep', fault, step);
    steps = came.killed ? step + 1 : Math.max(came.steps, fault.startsWith('kill') ? 0 : steps);
    const journal = new Journal(join(came.dir, 'state'));
    const kept = journal.recall(join(came.dir, 'lock.ts'))?.text;
    expect([fault, step, kept === undefined || kept === NEW]).toEqual([fault, step, true]);
    if (!came.killed && came.error === '') expect(kept).toBe(NEW);
    journal.keep(join(came.dir, 'lock.ts'), 'after', 'base');
    expect(journal.recall(join(came.dir, 'lock.ts'))?.text).toBe('after');
    if (fault.startsWith('kill') && !came.killed) break;
    expect(step).toBeLessThan(60);
  }
});
