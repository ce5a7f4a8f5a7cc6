/** Handlers found in texts of many styles. */
import { outlineOfText } from '#dist/syntax/outlined.js';
import { registrationsOf } from '#dist/syntax/registrations.js';

function handlers(text: string): string[] {
  return registrationsOf(outlineOfText(text, '/canal/server.js')!).handlers.map(
    ({ kind, method, path, line }) => `${kind} ${method}${method === '' ? '' : ' '}${path}:${line + 1}`,
  );
}

test.each([
  ['a method and a path', "app.get('/locks', (request, response) => {})", ['request GET /locks:1']],
  [
    'without semicolons, with middleware between',
    "app.post('/queue', check, wait)\napp.del('/queue', leave)",
    ['request POST /queue:1', 'request DELETE /queue:2'],
  ],
  ['a handler by its name, and a list', "router.put('/berths/:id', [check, moor])", ['request PUT /berths/:id:1']],
  ['a chain', "router.route('/tolls').get(list).post(add)", ['request POST /tolls:1', 'request GET /tolls:1']],
  [
    'an object',
    "server.route({ method: ['GET', 'HEAD'], url: '/tolls', handler() {} })",
    ['request GET /tolls:1', 'request HEAD /tolls:1'],
  ],
  [
    'keys of a table',
    "const routes = { 'GET /locks': list, 'POST /locks': add }",
    ['request GET /locks:1', 'request POST /locks:1'],
  ],
  [
    'a comparison, and no part of a longer text',
    "if (key === 'GET /locks') list()\nrun('GET /locks' + id)",
    ['request GET /locks:1'],
  ],
  ['a constant path', "const BASE = '/tolls'\napp.get(`${BASE}/:id`, find)", ['request GET /tolls/:id:2']],
  [
    'listeners and timers',
    "gauge.on('reading', note)\ngauge.on('data', note)\nsetInterval(fill, 100)",
    ['event reading:1', 'timer fill:3'],
  ],
  ['all methods', "app.all('/locks', log)", ['request * /locks:1']],
  [
    'reads of maps and settings, which are none',
    "map.get('/locks')\nsettings.get('name', fallback)\nuse('/locks')",
    [],
  ],
  ['a request that is made, which is none', "client.get('/locks')", []],
  ['a path that is not known', 'app.get(path, list)', []],
])('%s', (_title, text, expected) => {
  expect(handlers(text)).toEqual(expected);
});

test('what is mounted, and what objects are made with', () => {
  const text = `import tolls from './tolls.js'
const api = new Router({ prefix: '/api' })
app.use('/tolls', tolls)
app.register(import('./berths.js'), { prefix: '/berths' })
app.use(check, api.routes())`;
  const { mounts, bases } = registrationsOf(outlineOfText(text, '/canal/server.js')!);
  expect(mounts.map(({ prefix, what }) => [prefix, what])).toEqual([
    ['/tolls', { name: 'tolls' }],
    ['/berths', { specifier: './berths.js' }],
    ['', { name: 'check' }],
    ['', { name: 'api' }],
  ]);
  expect([...bases]).toEqual([['api', '/api']]);
});
