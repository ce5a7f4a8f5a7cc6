/** `usher-anvil targets`: the live programs of the person. */
import { relative } from 'node:path';
import { targets } from '../server/targets.js';
import { harmless, makePaint, pad, wantsColour } from './paint.js';

export function targetsCommand(options: { json?: boolean }): number {
  const all = targets();
  if (options.json) {
    // A token opens a door: it is for our own commands alone.
    const list = all.map(({ name, pid, entry, files, since, address }) => ({
      name,
      pid,
      entry,
      files,
      since,
      address,
    }));
    process.stdout.write(`${JSON.stringify({ format: 'usher-anvil/targets@1', targets: list }, null, 2)}\n`);
    return 0;
  }
  if (all.length === 0) {
    process.stderr.write('No program is live. Start one: usher-anvil live chamber.ts\n');
    return 0;
  }
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const wide = Math.max(...all.map((one) => one.name.length));
  for (const one of all) {
    const path = relative(process.cwd(), one.entry);
    const more = one.files.length > 1 ? ` and ${one.files.length - 1} more` : '';
    process.stdout.write(
      `${paint.bold(pad(one.name, wide))}  process ${one.pid} ` +
        ` ${harmless(path.startsWith('..') ? one.entry : path)}${more}  ${paint.dim(`since ${ago(one.since)}`)}\n`,
    );
  }
  return 0;
}

/** `12 s`, `5 min`, `3 h`, and the date for longer ago. */
export function ago(since: string, now = Date.now()): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(since)) / 1_000));
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3_600) return `${Math.floor(seconds / 60)} min`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3_600)} h`;
  return since.slice(0, 16).replace('T', ' ');
}
