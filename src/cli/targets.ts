/** `usher-anvil targets`: the live programs of the person, and those elsewhere that were joined. */
import { relative } from 'node:path';
import { describeAt, forgetJoined, joinedAddresses, type Joined } from '../server/joined.js';
import { targets, type Registration } from '../server/targets.js';
import { AnvilError } from '../syntax/problems.js';
import { harmless, makePaint, pad, wantsColour, type Paint } from './paint.js';

export interface TargetsOptions {
  json?: boolean;
  /** An address that is to be remembered no longer. */
  forget?: string;
}

/** @throws AnvilError `E_TARGET` where an address that is to be forgotten is not remembered */
export async function targetsCommand(options: TargetsOptions): Promise<number> {
  if (options.forget !== undefined) {
    if (!forgetJoined(options.forget))
      throw new AnvilError('E_TARGET', `${options.forget} is not remembered. usher-anvil targets lists what is.`);
    return 0;
  }
  const here = targets();
  const elsewhere = await Promise.all(
    joinedAddresses()
      .filter(({ address }) => here.every((one) => one.address !== address))
      .map(async (joined) => ({ joined, found: await describeAt(joined) })),
  );
  if (options.json) {
    // A token opens a door: it is for our own commands alone.
    const list = here.map(({ name, pid, entry, files, since, address }) => ({
      name,
      pid,
      entry,
      files,
      since,
      address,
    }));
    const remembered = elsewhere.map(({ joined: { address, at }, found }) =>
      'why' in found
        ? { address, joined: at, answers: false, why: found.why }
        : { address, joined: at, answers: true, name: found.name, entry: found.entry, since: found.since },
    );
    const all = { format: 'usher-anvil/targets@1', targets: list, elsewhere: remembered };
    process.stdout.write(`${JSON.stringify(all, null, 2)}\n`);
    return 0;
  }
  if (here.length + elsewhere.length === 0) {
    process.stderr.write('No program is live. Start one: usher-anvil live chamber.ts\n');
    return 0;
  }
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const wide = Math.max(
    ...here.map(({ name }) => name.length),
    ...elsewhere.map(({ joined }) => joined.address.length),
  );
  for (const one of here) process.stdout.write(hereLine(one, wide, paint));
  for (const { joined, found } of elsewhere) process.stdout.write(elsewhereLine(joined, found, wide, paint));
  return 0;
}

function hereLine(one: Registration, wide: number, paint: Paint): string {
  const path = relative(process.cwd(), one.entry);
  const more = one.files.length > 1 ? ` and ${one.files.length - 1} more` : '';
  return (
    `${paint.bold(pad(one.name, wide))}  process ${one.pid} ` +
    ` ${harmless(path.startsWith('..') ? one.entry : path)}${more}  ${paint.dim(`since ${ago(one.since)}`)}\n`
  );
}

function elsewhereLine(
  { address, at }: Joined,
  found: Awaited<ReturnType<typeof describeAt>>,
  wide: number,
  paint: Paint,
): string {
  const told =
    'why' in found
      ? paint.dim(`${found.why}, joined ${ago(at)} ago`)
      : `answers  ${harmless(`${found.name}, ${found.entry}`)}  ${paint.dim(`since ${ago(found.since)}`)}`;
  return `${paint.bold(pad(address, wide))}  ${told}\n`;
}

/** `12 s`, `5 min`, `3 h`, `2 days`. */
export function ago(since: string, now = Date.now()): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(since)) / 1_000));
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3_600) return `${Math.floor(seconds / 60)} min`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3_600)} h`;
  const days = Math.floor(seconds / 86_400);
  return days === 1 ? '1 day' : `${days} days`;
}
