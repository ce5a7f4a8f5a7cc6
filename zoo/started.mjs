// A command that runs on: what it has printed, and its end.
import { spawn } from 'node:child_process';

const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

export async function until(probe, ms = 20_000) {
  const limit = Date.now() + ms;
  for (;;) {
    const found = await probe();
    if (found) return found;
    if (Date.now() > limit) throw new Error(`never happened: ${String(probe).slice(0, 120)}`);
    await wait(200);
  }
}

export function started(command, args, options) {
  const child = spawn(command, args, { ...options, stdio: ['ignore', 'pipe', 'pipe'] });
  const state = { text: '', ended: false };
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (state.text += String(data)));
  child.once('exit', () => (state.ended = true));
  child.once('error', (error) => (state.text += error.message));
  return {
    get text() {
      return state.text;
    },
    /** Waits until what was printed from an offset on matches. */
    until: (pattern, ms = 30_000, from = 0) =>
      until(() => pattern.exec(state.text.slice(from)), ms).catch(() => {
        throw new Error(`never printed ${pattern}: ${state.text.slice(from).replace(/\s+/g, ' ').slice(-300)}`);
      }),
    /** @param group what it has started ends with it, where it leads a group of its own */
    async end(group = false) {
      if (!state.ended) {
        if (group) process.kill(-child.pid, 'SIGTERM');
        else child.kill('SIGTERM');
      }
      const isLeft = () => {
        if (!group) return !state.ended;
        try {
          return process.kill(-child.pid, 0);
        } catch {
          return false;
        }
      };
      for (let i = 0; i < 50 && isLeft(); i++) await wait(100);
      if (!state.ended) child.kill('SIGKILL');
    },
  };
}
