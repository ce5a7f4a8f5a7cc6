/** The lock house: an HTTP server that stays up while its routes are changed. `usher-anvil live server.ts`. */
import { createServer, type IncomingMessage } from 'node:http';
import { locks, toll, type Barge } from './rules.js';

const queue: Barge[] = [
  { name: 'Heron', length: 21, cargo: 'slate', tonnes: 18 },
  { name: 'Teal', length: 12, cargo: 'lime', tonnes: 6 },
];
let served = 0;

async function bodyOf(request: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of request) text += String(chunk);
  return JSON.parse(text);
}

type Route = (request: IncomingMessage) => unknown;

const routes: Record<string, Route> = {
  'GET /locks': () => locks,
  'GET /queue': () => queue.map(({ name, cargo }) => `${name} (${cargo})`),
  'POST /queue': async (request) => {
    queue.push((await bodyOf(request)) as Barge);
    return { waiting: queue.length };
  },
  'GET /tolls': () => queue.map((barge) => ({ name: barge.name, toll: toll(barge) })),
};

const server = createServer(async (request, response) => {
  served += 1;
  const path = `${request.method} ${new URL(request.url ?? '/', 'http://lock-house').pathname}`;
  const route = routes[path];
  try {
    const result = route ? await route(request) : { error: `no such route: ${path}`, routes: Object.keys(routes) };
    response.writeHead(route ? 200 : 404, { 'content-type': 'application/json', 'x-served': String(served) });
    response.end(`${JSON.stringify(result, null, 2)}\n`);
  } catch (error) {
    console.error(error);
    response.writeHead(500, { 'content-type': 'application/json' });
    response.end(`${JSON.stringify({ error: String(error) })}\n`);
  }
});

server.listen(Number(process.env.PORT ?? 0), '127.0.0.1', () => {
  const address = server.address();
  console.log(`the lock house listens on http://127.0.0.1:${typeof address === 'object' ? address?.port : ''}/locks`);
});
