/** A run does not pay for the one before it: where that has brought their process to its end, it is begun in another. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createSession, type Session } from 'usher-anvil';
import { folder } from '../../../test/harness.js';

let session: Session;
let dir: string;
let file: string;

/** Executes a text, and waits for what comes of it. */
async function begin(text: string) {
  dir = folder({ 'lock.js': text });
  file = join(dir, 'lock.js');
  session = createSession({ file, cwd: dir });
  session.execute();
  return session.settled();
}
afterEach(() => session.close());

const OWN = 'console.log(process.pid)\n';

test('a process that ends right when the next run is given to it', async () => {
  let before = await begin(OWN);
  for (let i = 0; i < 3; i++) {
    expect(before.outcome).toBe('ok');
    session.edit(file, `${OWN}const level = ${i}\n`);
    process.kill(Number(before.console[0]!.text), 'SIGABRT');
    const record = await session.settled();
    expect({ outcome: record.outcome, stop: record.stop }).toEqual({ outcome: 'ok', stop: undefined });
    expect(record.console[0]!.text).not.toBe(before.console[0]!.text);
    session.edit(file, `${OWN}const other = ${i}\n`);
    before = await session.settled();
  }
});

test('a pad that ends its process by itself is told so, and is not begun again', async () => {
  expect((await begin('let level = 1\n')).outcome).toBe('ok');
  session.edit(file, "require('fs').appendFileSync('begun', 'x')\nprocess.kill(process.pid, 'SIGKILL')\n");
  expect((await session.settled()).outcome).toBe('stopped');
  expect(readFileSync(join(dir, 'begun'), 'utf8')).toBe('x');
});
