/** A run does not pay for the one before it: where that has brought their process to its end, it is begun in another. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession } from 'usher-anvil';
import { folder } from '../../../test/harness.js';

test('a process that ends right when the next run is given to it', async () => {
  const dir = folder({ 'lock.js': 'console.log(process.pid)\n' });
  const file = join(dir, 'lock.js');
  const session = createSession({ file, cwd: dir });
  try {
    session.execute();
    for (let i = 0; i < 3; i++) {
      const before = await session.settled();
      expect(before.outcome).toBe('ok');
      session.edit(file, `console.log(process.pid)\nconst level = ${i}\n`);
      process.kill(Number(before.console[0]!.text), 'SIGABRT');
      const record = await session.settled();
      expect({ outcome: record.outcome, stop: record.stop }).toEqual({ outcome: 'ok', stop: undefined });
      expect(record.console[0]!.text).not.toBe(before.console[0]!.text);
      session.edit(file, `console.log(process.pid)\nconst other = ${i}\n`);
    }
  } finally {
    await session.close();
  }
});

test('a pad that ends its process by itself is told so, and is not begun again', async () => {
  const dir = folder({ 'lock.js': 'let level = 1\n' });
  const file = join(dir, 'lock.js');
  const session = createSession({ file, cwd: dir });
  try {
    session.execute();
    expect((await session.settled()).outcome).toBe('ok');
    session.edit(file, "require('fs').appendFileSync('begun', 'x')\nprocess.kill(process.pid, 'SIGKILL')\n");
    expect((await session.settled()).outcome).toBe('stopped');
    expect(readFileSync(join(dir, 'begun'), 'utf8')).toBe('x');
  } finally {
    await session.close();
  }
});
