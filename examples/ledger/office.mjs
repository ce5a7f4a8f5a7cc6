// The toll office: a server over the ledger's database. `usher-anvil live ledger/office.mjs`
import { createServer } from 'node:http';
import initSqlJs from 'sql.js';

const SQL = await initSqlJs();
const db = new SQL.Database();
db.run('create table charges (barge text, lock text, pence integer)');
db.run("insert into charges values ('Heron', 'Alder', 850), ('Otter', 'Alder', 1050), ('Kestrel', 'Dun', 2170)");

const routes = {
  'GET /charges/:lock': ({ lock }) => charges(lock),
  'POST /charges/:lock': ({ lock }) => raise(lock, 1.1),
};

function charges(lock) {
  const list = rows('select barge, pence from charges where lock = ?', [lock]);
  return { lock, list, total: sum(list) };
}

function sum(list) {
  return list.reduce((total, { pence }) => total + pence, 0);
}

function raise(lock, by) {
  db.run('update charges set pence = round(pence * ?) where lock = ?', [by, lock]);
  return charges(lock);
}

function rows(text, given) {
  const [answer] = db.exec(text, given);
  return answer ? answer.values.map(([barge, pence]) => ({ barge, pence })) : [];
}

const server = createServer((request, response) => {
  const [, , lock] = request.url.split('/');
  const route = routes[`${request.method} /charges/:lock`];
  response.writeHead(route ? 200 : 404, { 'content-type': 'application/json' });
  response.end(JSON.stringify(route ? route({ lock }) : { error: 'no such route' }));
});

server.listen(Number(process.env.PORT ?? 0), '127.0.0.1', () => {
  console.log(`the toll office listens on http://127.0.0.1:${server.address().port}/charges/Alder`);
});
