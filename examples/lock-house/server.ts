/**
 * The lock house: an HTTP server that stays up while its routes are changed. `usher-anvil live server.ts --hold`: what
 * fails is not answered before it is mended, and its client waits. `/moorings` asks for a berth that has no price, and
 * `/account` for a method that nobody has written yet. `usher-anvil entries` lists the routes, and `--show 'GET /tolls'`
 * all the code that works for one of them.
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { find, pathsOf } from './routes.js';

let served = 0;

async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
  served += 1;
  const url = new URL(request.url ?? '/', 'http://lock-house');
  const path = `${request.method} ${url.pathname}`;
  const found = find(path);
  const result = found ? await found.route({ request, url, given: found.given }) : { error: `no such route: ${path}`, routes: pathsOf() };
  const isPage = typeof result === 'string';
  const type = !isPage ? 'application/json' : result.startsWith('<svg') ? 'image/svg+xml' : 'text/html; charset=utf-8';
  const status = found && result !== undefined ? 200 : 404;
  response.writeHead(status, { 'content-type': type, 'x-served': String(served) });
  response.end(isPage ? result : `${JSON.stringify(result ?? { error: `nothing at ${url.pathname}` }, null, 2)}\n`);
}

const server = createServer(answer);

server.listen(Number(process.env.PORT ?? 0), '127.0.0.1', () => {
  const address = server.address();
  console.log(`the lock house listens on http://127.0.0.1:${typeof address === 'object' ? address?.port : ''}/locks`);
});
