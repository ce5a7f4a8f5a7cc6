/** What code of a page can send on the development server's socket. */
import { EVENTS } from '#dist/hosts/browser/page.js';
import { Pages } from '#dist/vite/pages.js';

function served(): { say(event: string, data: unknown): void; joined: string[]; warned: string[]; pages: Pages } {
  const listeners = new Map<string, (data: unknown, client: unknown) => void>();
  const joined: string[] = [];
  const warned: string[] = [];
  const hot = {
    on: (event: string, listener: (data: unknown, client: unknown) => void) => listeners.set(event, listener),
  };
  const session = {
    join: ({ id }: { id: string }) => joined.push(id),
    leave: () => undefined,
    executed: () => undefined,
  };
  const pages = new Pages({
    session: session as never,
    server: {} as never,
    warn: (text) => warned.push(text),
    refresh: () => undefined,
  });
  pages.serve(hot as never);
  return { say: (event, data) => listeners.get(event)!(data, { send: () => undefined }), joined, warned, pages };
}

const JUNK = [
  null,
  undefined,
  7,
  '',
  'page',
  [],
  {},
  { page: null },
  { page: 7 },
  { page: '' },
  { page: 'p'.repeat(101) },
];

test('what is no word of a page is passed over', () => {
  const { say, joined, warned } = served();
  for (const data of JUNK) for (const event of [EVENTS.here, EVENTS.from]) say(event, data);
  say(EVENTS.here, { page: 'lock' });
  for (const message of [undefined, null, 7, '', '{', '[]', '{"type":"batch"}'])
    say(EVENTS.from, { page: 'lock', message });
  say('vite:client:disconnect', null);
  expect([joined, warned.length < 5]).toEqual([['lock'], true]);
});

test('pages without end do not fill the session', () => {
  const { say, joined } = served();
  for (let i = 0; i < 1_000; i++) say(EVENTS.here, { page: `page ${i}` });
  expect(joined).toHaveLength(200);
});

test('a page that waits is answered, and one that says something else is not', () => {
  const { pages, joined } = served();
  for (const text of ['', '{', '[]', 'null', '{"page":7}', '{"page":"lock","file":"/a.js","version":-1}'])
    expect(pages.begun(text)).toEqual([]);
  expect(joined).toEqual([]);
  expect(pages.begun('{"page":"lock","file":"/a.js","version":0}')).toEqual([]);
  expect(joined).toEqual(['lock']);
});
