// A server that goes on, and is asked by the pad itself

import { createServer } from 'node:http';
import { once } from 'node:events';
import type { AddressInfo } from 'node:net';

const levels = new Map([
  ['dun', 2.4],
  ['ashby', 1.9],
]);

const server = createServer((request, response) => {
  const lock = request.url!.slice(1);
  const level = levels.get(lock);
  response.statusCode = level === undefined ? 404 : 200;
  response.setHeader('content-type', 'application/json');
  response.end(JSON.stringify({ lock, level }));
});

server.listen(0, '127.0.0.1');
await once(server, 'listening');
const { port } = server.address() as AddressInfo;

const answer = await fetch(`http://127.0.0.1:${port}/dun`);
await answer.json();
