/** Pictures by code: passes that read each other, named inputs, and a clock that is stopped and stepped. */
import { join } from 'node:path';
import { createSession, type Session } from 'usher-anvil';
import { eventually, folder, wait } from './harness.js';

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

test('on several threads a picture is the one that its own thread paints, in all passes and with its inputs', async () => {
  const pad = (first: string): string => `${first}
const scale = 3
function depth(x: number, y: number): number {
  let sum = 0
  for (let i = 1; i < 40; i++) sum += Math.sin((x * i + y) / scale)
  return sum
}
paint(320, 200, [
  (x, y, { inputs }) => depth(x, y) + (inputs.tide as number),
  (x, y, { before }) => ((before(x - 1, y) as number) + (before(x + 1, y) as number)) / 2,
  (x, y, { before }) => (x < 160 ? { colour: [x, y, 0], value: before(x, y) as number } : (before(x, y) as number)),
], { inputs: { tide: 2 } })
`;
  open(pad('const begin = 1'));
  await session.settled();
  await eventually(() => picture().pixels?.block === 1);
  expect(picture().threads).toBeGreaterThan(0);
  const { rgba, values } = picture().pixels!;
  await session.close();
  // What a line says is not the same on another thread, where there is no such line.
  open(pad('let begin = 1').replace('let sum = 0', 'let sum = begin - 1'));
  await session.settled();
  await eventually(() => picture().pixels?.block === 1);
  expect(picture().threads).toBeUndefined();
  expect(Buffer.from(picture().pixels!.rgba).equals(Buffer.from(rgba))).toBe(true);
  expect(picture().pixels!.values).toEqual(values);
});

test('a clock that is stopped and goes on in the middle of pictures on other threads gives whole ones', async () => {
  open(`paint(200, 120, (x, y, { time }) => {
  let sum = 0
  for (let i = 1; i < 30; i++) sum += Math.sin(x * i + time)
  return sum + y
}, { animate: true, scale: [-30, 150] })
`);
  await eventually(() => (session.record?.shown[0]?.clock?.frame ?? 0) > 5);
  expect(picture().threads).toBeGreaterThan(0);
  const { id } = picture();
  for (let i = 0; i < 12; i++) {
    session.act({ do: 'clock', id, to: 'stop' });
    await wait(i * 3);
    session.act({ do: 'clock', id, to: 'step' });
    session.act({ do: 'clock', id, to: 'go' });
    await wait(20 + i * 3);
  }
  session.act({ do: 'clock', id, to: 'stop' });
  await eventually(() => picture().clock!.running === false && picture().pixels!.block === 1);
  const { time } = picture().clock!;
  await eventually(() => picture().pixels!.values !== undefined);
  const { values } = picture().pixels!;
  for (const [x, y] of [
    [0, 0],
    [199, 0],
    [100, 60],
    [3, 119],
  ] as const) {
    let sum = 0;
    for (let i = 1; i < 30; i++) sum += Math.sin(x * i + time);
    expect(values![y * 200 + x]).toBeCloseTo(sum + y, 9);
  }
  expect(picture().threads).toBeGreaterThan(0);
});

test('what fails or gives no plain data on another thread is called where it was written, and fails there', async () => {
  open(`paint(640, 400, (x, y) => {
  let sum = 0
  for (let i = 0; i < 60; i++) sum += Math.sin(x * i)
  if (x === 3 && y === 5) throw new RangeError('a stone at three and five')
  return sum
})
`);
  await eventually(() => session.record?.errors.length === 1);
  expect(session.record!.errors[0]).toMatchObject({ name: 'RangeError', message: 'a stone at three and five' });
  expect(session.record!.errors[0]!.range.start.line).toBe(4);
  await session.close();
  open(`paint(320, 200, (x, y, { inputs }) => (inputs.of as (x: number) => number)(x) + Math.sin(y), {
  inputs: { of: (x: number) => { let sum = 0; for (let i = 0; i < 60; i++) sum += Math.sin(x * i); return sum } },
})
`);
  await session.settled();
  await eventually(() => picture().pixels?.block === 1);
  expect(session.record!.errors).toEqual([]);
});
