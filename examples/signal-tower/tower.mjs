/**
 * A signal tower, which knows nothing of any tool: what hangs from its mast is decided by extensions in `signals`. Each
 * is loaded anew when it is saved, or by `POST /load`; what it had registered is dropped then, and the tower's own count
 * goes on. `usher-anvil live --name tower -- npm start`: breakpoints in an extension stay over its loads.
 */
import { readdirSync, watch } from 'node:fs';
import { createServer } from 'node:http';

const folder = new URL('./signals/', import.meta.url);
const extensions = new Map();
const signals = new Map();
let boats = 0;
let hung = '';

export async function load(name) {
  const before = extensions.get(name);
  const loads = (before?.loads ?? 0) + 1;
  extensions.set(name, { ...before, loads });
  const { activate } = await import(new URL(`${name}?load=${loads}`, folder).href);
  before?.drop();
  const registered = [];
  const tower = {
    register(signal, rule) {
      signals.set(signal, rule);
      registered.push(signal);
    },
  };
  activate(tower);
  extensions.set(name, { loads, drop: () => registered.forEach((signal) => signals.delete(signal)) });
}

export function loadAll() {
  return Promise.all(readdirSync(folder).map((name) => load(name)));
}

function pass() {
  boats += 1;
  const weather = { sight: 40 + ((boats * 37) % 900), wind: boats % 9 };
  const lines = [];
  for (const [signal, rule] of signals) {
    const said = rule(weather, boats);
    if (said) lines.push(`${signal}: ${said}`);
  }
  hung = lines.join('\n');
}

let asked;
watch(folder, (_, name) => {
  clearTimeout(asked);
  asked = setTimeout(() => load(name).catch((error) => console.error(`${name} was not loaded: ${error.message}`)), 100);
});

const server = createServer(async (request, response) => {
  if (request.method === 'POST' && request.url === '/load') await loadAll();
  response.setHeader('content-type', 'text/plain; charset=utf-8');
  response.end(`${boats} boats have passed\n${hung}\n`);
});

await loadAll();
setInterval(pass, Number(process.env.TURN_MS ?? 500));
server.listen(Number(process.env.PORT ?? 0), '127.0.0.1', () => {
  console.log(`the signal tower is at http://127.0.0.1:${server.address().port}/`);
});
