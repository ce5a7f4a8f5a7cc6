// The canal's API: what it answers stands at the line that asks. The demo starts it; else: node examples/api/server.mjs
const api = process.env.WENLOW_API ?? 'http://127.0.0.1:4186';

interface Lock {
  name: string;
  rise: number;
  queue: string[];
}

async function ask<T>(path: string): Promise<T> {
  const response = await fetch(`${api}${path}`);
  if (!response.ok) throw new Error(`${path}: ${response.status} ${response.statusText}`);
  return (await response.json()) as T;
}

const { locks } = await ask<{ locks: Lock[] }>('/locks');
const waiting = locks.filter(({ queue }) => queue.length > 0);
const climb = locks.reduce((sum, { rise }) => sum + rise, 0);

// A slow answer: how long it took stands under Requests.
const gauge = await ask<{ chamber: number }>('/gauge');
gauge.chamber.toFixed(1);

// The toll office is closed: the catch shows what was asked, and what came back.
try {
  await ask('/tolls');
} catch (error) {
  console.log('no tolls today:', (error as Error).message);
}

// A name that nobody has: a 404 with its details under Requests.
const lost = await ask<Lock>('/locks/Ash').catch(() => undefined);
