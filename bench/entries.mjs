// Entry points: what watching costs a server, how soon the answer is there after an edit, how a long page of pieces scrolls.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { join } from 'node:path';
import { createLive } from '../dist/hosts/node/live.js';

/** A server whose one route goes through so many functions. */
function serverText(functions) {
  const steps = Array.from(
    { length: functions },
    (_, i) =>
      `export async function step${i}(level) {\n  const next = level + ${i}\n  ${i % 5 === 0 ? 'await null\n  ' : ''}return rule${i}(next)\n}\nfunction rule${i}(level) {\n  return (level * 31) % 1009\n}\n`,
  );
  const calls = Array.from({ length: functions }, (_, i) => `  level = await step${i}(level)`).join('\n');
  return `import { createServer } from 'node:http'
${steps.join('')}
export async function handle(request, response) {
  let level = 1
${calls}
  response.setHeader('content-type', 'application/json')
  response.end(JSON.stringify({ level }))
}
const server = createServer(handle)
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port))
`;
}

async function begin(dir, name, functions) {
  const folder = join(dir, name);
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  const file = join(folder, 'server.js');
  writeFileSync(file, serverText(functions));
  let printed = '';
  const { session } = createLive({ file, cwd: folder, stdio: 'pipe', onOutput: (_stream, text) => (printed += text) });
  session.start(() => undefined);
  while (!/port \d+/.test(printed)) await new Promise((done) => setTimeout(done, 20));
  return { session, file, port: Number(/port (\d+)/.exec(printed)[1]) };
}

const agent = new Agent({ keepAlive: true, maxSockets: 8 });
const asked = (port) =>
  new Promise((resolve, reject) => {
    get({ port, host: '127.0.0.1', path: '/level', agent }, (response) => {
      response.resume().on('end', resolve);
    }).on('error', reject);
  });

/** Requests a second, eight at a time. */
async function rate(port, ms = 1_500) {
  const begin = performance.now();
  let count = 0;
  const one = async () => {
    while (performance.now() - begin < ms) {
      await asked(port);
      count++;
    }
  };
  await Promise.all(Array.from({ length: 8 }, one));
  return (count * 1_000) / (performance.now() - begin);
}

/** Requests a second of one program: never watched, watched, with one entry picked, and watched no longer. */
export async function watchingBench(dir, rounds = 3) {
  const { session, port } = await begin(dir, 'entries-rate', 12);
  const found = { 'never watched': [], watched: [], picked: [], 'watched no longer': [] };
  await rate(port, 2_000);
  for (let i = 0; i < rounds; i++) {
    found[i === 0 ? 'never watched' : 'watched no longer'].push(await rate(port));
    await session.entries.watch(true);
    await rate(port, 500);
    found.watched.push(await rate(port));
    await session.entries.pick(session.entries.all.find(({ count }) => count > 0).key);
    await rate(port, 500);
    found.picked.push(await rate(port));
    await session.entries.watch(false);
    await rate(port, 1_000);
  }
  found['watched no longer'].push(await rate(port));
  session.stop();
  return found;
}

/** Milliseconds from an edit of one of 60 pieces to the answer, the request's own time aside. */
export async function answerBench(dir, times = 25) {
  const { session, file, port } = await begin(dir, 'entries-answer', 30);
  await asked(port);
  await session.entries.watch(true);
  await asked(port);
  await new Promise((done) => setTimeout(done, 300));
  await session.entries.pick(session.entries.all.find(({ count }) => count > 0).key);
  const { pieces } = session.entries.current;
  const text = readFileSync(file, 'utf8');
  const took = [];
  for (let i = 0; i < times; i++) {
    const told = new Promise((resolve) => {
      const before = session.entries.current.request;
      const end = session.entries.onChange(() => {
        const { current } = session.entries;
        if (current.isAsking || current.request === before) return;
        end();
        resolve(current);
      });
    });
    const begun = performance.now();
    await session.edit(file, text.replace('% 1009', `% ${1010 + i}`));
    const { answer } = await told;
    took.push(performance.now() - begun - answer.ms);
  }
  session.stop();
  return { pieces: pieces.length, took };
}
