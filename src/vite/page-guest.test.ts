import { jest } from '@jest/globals';
import { decode, encode } from '#dist/hosts/browser/codec.js';
import { EVENTS } from '#dist/hosts/browser/page.js';
import { PageGuest } from '#dist/vite/page-guest.js';
import type { ToGuest } from '#dist/wire/guests.js';
import type { LiveSession } from '#dist/session/live/session.js';

beforeEach(() => void jest.useFakeTimers());
afterEach(() => void jest.useRealTimers());

/** A page at the end of a socket that only takes notes. */
function guest() {
  const sent: { event: string; data: { page: string; message?: string; reason?: string } }[] = [];
  const heard: string[] = [];
  const socket = { send: (event: string, data?: unknown) => void sent.push({ event, data: data as never }) };
  let left = 0;
  const page = new PageGuest('abc', socket, {
    resolve: (specifier) =>
      Promise.resolve(
        specifier === './flags.js'
          ? { url: '/flags.ts', target: '/canal/flags.ts' }
          : specifier === 'three'
            ? { url: '/@id/three' }
            : undefined,
      ),
    printed: (code) => Promise.resolve({ ...code, code: `${code.code} // printed` }),
    left: () => void left++,
  });
  const session = {
    executed: (id: string, file: string, version: number) => void heard.push(`executed ${id} ${file} ${version}`),
    reportedBy: (id: string, batch: { moment: number }) => void heard.push(`batch ${id} ${batch.moment}`),
    stoppedIn: (id: string) => void heard.push(`undone ${id}`),
  } as unknown as LiveSession;
  return {
    page,
    socket,
    sent,
    heard,
    told: () => sent.filter((one) => one.event === EVENTS.to).map((one) => decode(one.data.message!) as ToGuest),
    says: (message: object) => page.receive(encode(message), session),
    get left() {
      return left;
    },
  };
}

test('a change is asked of the page, and its answer is the page’s own', async () => {
  const { page, told, says } = guest();
  const asked = page.change({ do: 'report', on: true });
  const looked = page.look({ do: 'json', node: 3 });
  const [change, look] = told() as [Extract<ToGuest, { type: 'change' }>, Extract<ToGuest, { type: 'look' }>];
  expect([change.change, look.request]).toEqual([
    { do: 'report', on: true },
    { do: 'json', node: 3 },
  ]);
  says({ type: 'looked', ask: look.ask, answer: { is: 'json', text: '{}', cut: false } });
  says({ type: 'changed', ask: change.ask, answer: { objects: 2, resumed: [], pauseMs: 0.5 } });
  // An answer that nobody waits for is nothing.
  says({ type: 'changed', ask: 99, answer: { objects: 0, resumed: [], pauseMs: 0 } });
  expect(await asked).toEqual({ objects: 2, resumed: [], pauseMs: 0.5 });
  expect(await looked).toEqual({ is: 'json', text: '{}', cut: false });
});

test('what the page tells goes to the session under its name', () => {
  const { says, heard } = guest();
  says({ type: 'executed', file: '/canal/room.ts', version: 2, url: '' });
  says({ type: 'batch', batch: { moment: 7 } });
  says({ type: 'undone' });
  expect(heard).toEqual(['executed abc /canal/room.ts 2', 'batch abc 7', 'undone abc']);
  expect(() => says({ type: 'nothing known' })).not.toThrow();
});

test('a page that does not answer is as one that was closed: nothing waits for it', async () => {
  const one = guest();
  const change = one.page.change({ do: 'undo' });
  const look = one.page.look({ do: 'json', node: 1 });
  await jest.advanceTimersByTimeAsync(4_900);
  expect(one.left).toBe(0);
  await jest.advanceTimersByTimeAsync(200);
  expect(one.left).toBeGreaterThan(0);
  expect(await change).toEqual({ objects: 0, resumed: [], pauseMs: 0 });
  expect(await look).toEqual({ is: 'gone', why: 'The page has been closed.' });
});

test('what a person enters may wait for as long as it likes', async () => {
  const one = guest();
  let answered = false;
  void one.page.change({ do: 'evaluate', file: '/canal/room.ts', codes: [] }).then(() => (answered = true));
  await jest.advanceTimersByTimeAsync(60_000);
  expect([one.left, answered]).toEqual([0, false]);
});

test('a socket that is away for a moment comes back, and the page goes on; one that stays away has left', async () => {
  const one = guest();
  one.page.away();
  await jest.advanceTimersByTimeAsync(200);
  const sent: string[] = [];
  one.page.client = { send: (event) => void sent.push(event) };
  await jest.advanceTimersByTimeAsync(10_000);
  expect(one.left).toBe(0);
  void one.page.change({ do: 'report', on: false });
  expect(sent).toEqual([EVENTS.to]);
  one.page.away();
  await jest.advanceTimersByTimeAsync(2_000);
  expect(one.left).toBe(1);
});

test('modules are reached under the server’s addresses, and their text is told as it was printed', async () => {
  const { page, told } = guest();
  expect(await page.resolve('./flags.js', '/canal/room.ts')).toEqual({
    specifier: '/flags.ts',
    kind: 'local',
    target: '/canal/flags.ts',
    names: [],
  });
  expect(await page.resolve('three', '/canal/room.ts')).toMatchObject({ specifier: '/@id/three', kind: 'package' });
  expect(await page.resolve('./none.js', '/canal/room.ts')).toMatchObject({
    kind: 'missing',
    target: 'it leads nowhere',
  });
  page.know({ file: '/canal/room.ts', code: 'let a;' } as never);
  await jest.advanceTimersByTimeAsync(1);
  expect(told()).toEqual([{ type: 'known', code: { file: '/canal/room.ts', code: 'let a; // printed' } }]);
});

test('a page that is loaded anew is told why, and leaves', () => {
  const one = guest();
  one.page.reload('Barge: a class that is made cannot be given a parent');
  expect(one.sent).toEqual([
    { event: EVENTS.reload, data: { page: 'abc', reason: 'Barge: a class that is made cannot be given a parent' } },
  ]);
  expect(one.left).toBe(1);
});
