/** Pictures by code: passes that read each other, named inputs, and a clock that is stopped and stepped. */
import { join } from 'node:path';
import { createSession, type Session } from 'usher-anvil';
import { eventually, folder } from './harness.js';

let session: Session;
afterEach(() => session.close());

function open(text: string): Session {
  const dir = folder({ 'basin.ts': `import { paint } from 'usher-anvil/pad'\n${text}` });
  session = createSession({ file: join(dir, 'basin.ts') });
  session.execute();
  return session;
}

const picture = () => session.record!.shown.find(({ kind }) => kind === 'paint')!;

test('a pass reads what the one before has made, its own place and beyond the edge, and inputs are named', async () => {
  open(`paint(8, 4, [
  (x, y, { inputs }) => x * (inputs.scale as number) + y,
  (x, y, { before }) => (before(x - 1, y) as number) + (before(x + 1, y) as number),
  (x, y, { before }) => [before(x, y) as number, 0, 0],
], { title: 'basin', inputs: { scale: 10 } })
`);
  await session.settled();
  await eventually(() => picture().pixels?.block === 1);
  const { rgba } = picture().pixels!;
  const red = (x: number, y: number): number => rgba[(y * 8 + x) * 4]!;
  // At the left edge the nearest stands for what is beyond it.
  expect([red(0, 0), red(3, 2), red(7, 3)]).toEqual([10, 64, 136]);
  expect(picture().title).toBe('basin');
  expect(JSON.stringify(picture().value)).toContain('scale');
});

test('a clock goes, is stopped, is stepped, and goes on; the picture that stands is as fine as it can be', async () => {
  open(`let calls = 0
paint(64, 40, (x, y, { time }) => Math.sin(x / 9 + time) + y / 40, { animate: true, scale: [-1, 2] })
`);
  await eventually(() => (session.record?.shown[0]?.clock?.frame ?? 0) > 3);
  expect(session.record!.ended).toBe(false);
  expect(picture().clock!.running).toBe(true);
  const { id } = picture();
  session.act({ do: 'clock', id, to: 'stop' });
  await eventually(() => picture().clock!.running === false && picture().pixels!.block === 1);
  const { frame, time } = picture().clock!;
  session.act({ do: 'clock', id, to: 'step' });
  await eventually(() => picture().clock!.frame === frame + 1);
  expect(picture().clock!.time).toBeCloseTo(time + 0.016, 5);
  session.act({ do: 'clock', id, to: 'go' });
  await eventually(() => picture().clock!.frame > frame + 3);
});

test('what is no function is refused with words', async () => {
  open("paint(4, 4, 'red' as never)\n");
  const record = await session.settled();
  expect(record.errors[0]!.message).toMatch(/needs a function, or a list of them/);
});
