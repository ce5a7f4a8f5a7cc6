/**
 * The lock house: an HTTP server that stays up while its routes are changed. `usher-anvil live server.ts --hold`: what
 * fails is not answered before it is mended, and its client waits. `/moorings` asks for a berth that has no price, and
 * `/account` for a method that nobody has written yet.
 */
import { createServer, type IncomingMessage } from 'node:http';
import { Book, locks, mooring, toll, type Barge, type Stay } from './rules.js';

const queue: Barge[] = [
  { name: 'Heron', length: 21, cargo: 'slate', tonnes: 18 },
  { name: 'Teal', length: 12, cargo: 'lime', tonnes: 6 },
];
const stays: Stay[] = [
  { barge: 'Heron', berth: 'quay', days: 2 },
  { barge: 'Teal', berth: 'pool', days: 5 },
];
/** The office counts on a book that settles what is owed. */
const book = new Book() as Book & { settle(stay: Stay, owed: number): string };
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
  'GET /moorings': () =>
    page(
      'Moorings',
      stays.map((stay) => `${stay.barge} owes ${mooring(stay)}`),
    ),
  'GET /account': () => page('Account', [book.settle(stays[0]!, mooring(stays[0]!))]),
};

function page(title: string, lines: string[]): string {
  return `<!doctype html>\n<title>${title}</title>\n<h1>${title}</h1>\n<ul>\n${lines.map((line) => `<li>${line}</li>\n`).join('')}</ul>\n`;
}

const server = createServer(async (request, response) => {
  served += 1;
  const path = `${request.method} ${new URL(request.url ?? '/', 'http://lock-house').pathname}`;
  const route = routes[path];
  const result = route ? await route(request) : { error: `no such route: ${path}`, routes: Object.keys(routes) };
  const type = typeof result === 'string' ? 'text/html; charset=utf-8' : 'application/json';
  response.writeHead(route ? 200 : 404, { 'content-type': type, 'x-served': String(served) });
  response.end(typeof result === 'string' ? result : `${JSON.stringify(result, null, 2)}\n`);
});

server.listen(Number(process.env.PORT ?? 0), '127.0.0.1', () => {
  const address = server.address();
  console.log(`the lock house listens on http://127.0.0.1:${typeof address === 'object' ? address?.port : ''}/locks`);
});
