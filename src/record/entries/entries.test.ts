/** Shapes of addresses, the book of what came in, routes, layers, answers that changed. */
import { answerChange, type Answer } from '#dist/record/entries/answers.js';
import { EntryBook, type RegisteredHandler } from '#dist/record/entries/book.js';
import { layerOf, matchesPattern } from '#dist/record/entries/layers.js';
import { registeredHandlers, type RegisteringText } from '#dist/record/entries/routes.js';
import { fitsRoute, LearnedShapes, routeOf, segmentsToMatch } from '#dist/record/entries/shapes.js';
import { outlineOfText } from '#dist/syntax/outlined.js';
import { registrationsOf } from '#dist/syntax/registrations.js';

describe('shapes', () => {
  test.each([
    ['/tolls/7', '/tolls/:id', true],
    ['/tolls/7/', '/tolls/:id', true],
    ['/tolls', '/tolls/:id', false],
    ['/tolls', '/tolls/:id?', true],
    ['/tolls/7/lines', '/tolls/:id', false],
    ['/tolls/7', '/tolls/{id}', true],
    ['/files/a/b', '/files/*', true],
    ['/lock%20house', '/lock house', true],
    ['/%zz', '/lock', false],
  ])('%s is one of %s: %s', (path, route, expected) => {
    expect(fitsRoute(path, route)).toBe(expected);
  });

  test('of several routes the one with most that is written out', () => {
    const routes = ['/tolls/:id', '/tolls/night', '/*'].map((path) => ({ method: 'GET', path }));
    expect(routeOf('GET', '/tolls/night', routes)?.path).toBe('/tolls/night');
    expect(routeOf('GET', '/tolls/7', routes)?.path).toBe('/tolls/:id');
    expect(routeOf('HEAD', '/tolls/7', routes)?.path).toBe('/tolls/:id');
    expect(routeOf('POST', '/tolls/7', routes)).toBeUndefined();
    expect(segmentsToMatch('/tolls/:id/lines')).toEqual(['', 'tolls', null, 'lines']);
  });

  test('numbers and identifiers are data; other segments become it when many have come', () => {
    const shapes = new LearnedShapes();
    expect(shapes.shapeOf('GET', '/tolls/17').shape).toBe('/tolls/:id');
    expect(shapes.shapeOf('GET', '/tolls/0b7e5c1e-58a1-4d4e-9d0c-1f7f4a2c9b11').shape).toBe('/tolls/:id');
    expect(shapes.shapeOf('GET', '/tolls/2026-03-04').shape).toBe('/tolls/:id');
    const names = ['heron', 'otter', 'kestrel', 'plover', 'dunlin', 'teal', 'wren', 'swift', 'crane'];
    const found = names.map((name) => shapes.shapeOf('GET', `/boats/${name}`).shape);
    expect(found.slice(0, 7)).toEqual(names.slice(0, 7).map((name) => `/boats/${name}`));
    expect(found.slice(7)).toEqual(['/boats/:name', '/boats/:name']);
    // What stands below the root is a resource.
    expect(names.map((name) => shapes.shapeOf('GET', `/${name}`).shape)).toEqual(names.map((name) => `/${name}`));
  });
});

describe('the book', () => {
  const request = (path: string, more = {}) => ({
    ...{ kind: 'request' as const, method: 'GET', path, count: 1, failed: 0, ms: 4, status: 200, ...more },
  });
  const handler = (method: string, path: string): RegisteredHandler => ({
    ...{ kind: 'request', route: { method, path }, name: path, file: '/canal/routes.js', line: 3 },
  });

  test('requests of one route are one entry; those that wait for their first call come behind', () => {
    const book = new EntryBook(() => undefined);
    book.register([handler('GET', '/tolls/:name'), handler('POST', '/queue')]);
    book.add([request('/tolls/heron'), request('/tolls/teal', { count: 2, ms: 8, failed: 1, status: 500 })], '', 1_000);
    book.add([request('/locks', { status: 404 })], '', 2_000);
    expect(book.all(2_500).map(({ key, count, failed, status, rate }) => [key, count, failed, status, rate])).toEqual([
      ['GET /locks', 1, 0, 404, 0.1],
      ['GET /tolls/:name', 3, 1, 500, 0.3],
      ['POST /queue', 0, 0, undefined, 0],
    ]);
    expect(book.get('GET /tolls/:name')).toMatchObject({ totalMs: 12, registered: { line: 3 } });
  });

  test('what was told apart is one when a route is written for it', () => {
    const book = new EntryBook(() => undefined);
    book.add([request('/boats/heron'), request('/boats/teal')], '', 1_000);
    expect(book.all(1_000)).toHaveLength(2);
    book.register([handler('GET', '/boats/:name')]);
    expect(book.all(1_000).map(({ key, count }) => [key, count])).toEqual([['GET /boats/:name', 2]]);
  });

  test('names as data are learned, and what came before counts with them', () => {
    const book = new EntryBook(() => undefined);
    for (let i = 0; i < 12; i++) book.add([request(`/boats/b${String.fromCharCode(97 + i)}x`)], '', i);
    expect(book.all(20).map(({ key, count }) => [key, count])).toEqual([['GET /boats/:name', 12]]);
  });

  test('events and timers are entries by the function that is called', () => {
    const book = new EntryBook((of) => ({ file: '/canal/gauge.js', path: of === 7 ? 'note' : 'fill' }));
    const counts = { count: 1, failed: 0, ms: 1 };
    book.add(
      [
        { ...counts, kind: 'event', of: 7 },
        { ...counts, kind: 'timer', of: 8 },
      ],
      'thread 2',
      5,
    );
    expect(book.all(5).map(({ key, handler: called, where }) => [key, called?.file, where])).toEqual([
      ['event note', '/canal/gauge.js', 'thread 2'],
      ['timer fill', '/canal/gauge.js', 'thread 2'],
    ]);
  });
});

test('routes have the paths of where they are mounted, over files', () => {
  const files: Record<string, string> = {
    '/canal/server.js': `import api from './api.js'
app.use('/api', api)
app.get('/', home)`,
    '/canal/api.js': `import tolls from './tolls.js'
const router = new Router()
router.use('/tolls', tolls)
router.get('/locks', list)
export default router`,
    '/canal/tolls.js': `export default function routes(app) {
  app.get('/:id', find)
  app.route({ method: 'POST', url: '/', handler: add })
}`,
    '/canal/berths.js': `const berths = new Router({ prefix: '/berths' })
berths.get('/:id', find)`,
  };
  const texts = Object.entries(files).map(([file, text]): RegisteringText => ({
    ...registrationsOf(outlineOfText(text, file)!),
    file,
    importOf: (name) => (files[`/canal/${name}.js`] === undefined ? undefined : `/canal/${name}.js`),
    resolve: () => undefined,
  }));
  expect(registeredHandlers(texts).map(({ route }) => `${route!.method} ${route!.path}`)).toEqual([
    'GET /',
    'GET /api/locks',
    'GET /api/tolls/:id',
    'POST /api/tolls',
    'GET /berths/:id',
  ]);
});

test('a layer is the folder, or what the project names by patterns', () => {
  expect(layerOf('src/rules/tolls.ts', {})).toBe('rules');
  expect(layerOf('server.ts', {})).toBe('server');
  const patterns = { routing: ['server.ts', '**/*.route.ts'], data: ['data/**'] };
  expect(layerOf('server.ts', patterns)).toBe('routing');
  expect(layerOf('rules/tolls.route.ts', patterns)).toBe('routing');
  expect(layerOf('data/deep/queue.ts', patterns)).toBe('data');
  expect(layerOf('rules/tolls.ts', patterns)).toBe('rules');
  expect(matchesPattern('a/b.ts', 'a/?.ts')).toBe(true);
  expect(matchesPattern('a+b.ts', 'a+b.ts')).toBe(true);
  expect(matchesPattern('aab.ts', 'a+b.ts')).toBe(false);
});

describe('an answer that changed', () => {
  const answer = (text: string, type = 'application/json', status = 200): Answer => ({
    ...{
      status,
      ms: 1,
      headers: [
        ['content-type', type],
        ['date', String(Math.random())],
      ],
    },
    body: { text, size: text.length },
  });

  test('is told place by place where it is JSON', () => {
    const change = answerChange(answer('{"a":[1,{"b c":2}],"d":1}'), answer('{"a":[1,{"b c":3},4],"e":1}'))!;
    expect(change.places).toEqual([
      { path: 'a[1]["b c"]', before: '2', now: '3' },
      { path: 'a[2]', now: '4' },
      { path: 'd', before: '1' },
      { path: 'e', now: '1' },
    ]);
  });

  test('by lines where it is other text, and by its status and headers', () => {
    const html = (line: string): Answer => answer(`<h1>Tolls</h1>\n<p>${line}</p>\n`, 'text/html');
    expect(answerChange(html('590'), html('472'))!.lines).toEqual({ added: [1], removed: ['<p>590</p>'] });
    expect(answerChange(html('590'), html('590'))).toBeUndefined();
    expect(answerChange(answer('1'), answer('1', 'application/json', 500))!.status).toEqual({ before: 200, now: 500 });
    expect(answerChange(answer('1'), answer('1', 'text/plain'))!.headers).toEqual([
      { name: 'content-type', before: 'application/json', now: 'text/plain' },
    ]);
  });
});
