// A stand-in for the canal's API, for trying requests: node examples/api/server.mjs
import { createServer } from 'node:http';
import { pathToFileURL } from 'node:url';

const locks = [
  { name: 'Alder', rise: 4.2, queue: ['Heron', 'Otter'] },
  { name: 'Birch', rise: 6.1, queue: [] },
  { name: 'Cress', rise: 5.4, queue: ['Teal'] },
  { name: 'Dun', rise: 8.3, queue: ['Kestrel', 'Plover', 'Dunlin'] },
  { name: 'Elm', rise: 7.0, queue: [] },
];

/** Starts it on 127.0.0.1; resolves with its address. */
export function start(port = 0) {
  const server = createServer((request, response) => {
    const answer = (status, body, ms = 0) =>
      setTimeout(() => {
        response.writeHead(status, { 'content-type': 'application/json; charset=utf-8' });
        response.end(JSON.stringify(body));
      }, ms);
    const { pathname } = new URL(request.url ?? '/', 'http://canal');
    const lock = locks.find(({ name }) => pathname === `/locks/${name}`);
    if (pathname === '/locks') answer(200, { locks });
    else if (lock) answer(200, lock);
    // The gauge of the highest lock answers slowly.
    else if (pathname === '/gauge') answer(200, { upper: 61.2, chamber: 57.9, lower: 54.2 }, 600);
    // The toll office is closed.
    else if (pathname === '/tolls') answer(503, { error: 'the toll office is closed until eight' });
    else answer(404, { error: `nothing is at ${pathname}` });
  });
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => resolve({ url: `http://127.0.0.1:${server.address().port}`, close: () => server.close() }));
  });
}

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href) console.log((await start(4186)).url);
