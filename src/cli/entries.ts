/** `usher-anvil entries`: what comes into a live program, and the code that works for one of it. */
import { isAddress } from '../server/joined.js';
import { joinAt } from '../server/program-bench.js';
import { targetNamed } from '../server/targets.js';
import { AnvilError } from '../syntax/problems.js';
import { entriesLines, entryLines } from './entries-lines.js';
import { makePaint, wantsColour } from './paint.js';
import { targetAt } from './target-address.js';

export interface EntriesOptions {
  show?: string;
  url?: string;
  body?: string;
  header?: string[];
  ask?: boolean;
  without?: string[];
  off?: boolean;
  token?: string;
  format: string;
}

/**
 * Lists entry points, or shows one.
 *
 * @returns the exit code: 1 where the entry that is shown could not be asked, or failed
 * @throws AnvilError `E_TARGET` where no such program is live, `E_OPTION` for options that do not fit, `E_ENTRY` where
 * there is no such entry
 */
export async function entriesCommand(name: string | undefined, options: EntriesOptions): Promise<number> {
  const { show, format, off = false, without = [] } = options;
  if (format !== 'text' && format !== 'json')
    throw new AnvilError('E_OPTION', `--format is text or json, not ${format}`);
  const needsShow = ['url', 'body', 'header', 'ask', 'without'] as const;
  const lone = show === undefined ? needsShow.find((key) => options[key] !== undefined) : undefined;
  if (lone) throw new AnvilError('E_OPTION', `--${lone} goes with --show <entry>`);
  const target = name !== undefined && isAddress(name) ? targetAt(name, options.token) : targetNamed(name);
  const window = await joinAt(target, {});
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const print = (lines: readonly string[]): void => void process.stdout.write(`${lines.join('\n')}\n`);
  try {
    if (show === undefined) {
      const before = await window.ask('entries', { off });
      if (format === 'json') print([JSON.stringify(before, null, 2)]);
      else print(entriesLines(target.name, before, paint));
      return 0;
    }
    const { url, body, header, ask } = options;
    const answer = await window.ask('entry', {
      key: show,
      ...(url === undefined ? {} : { url }),
      ...(body === undefined ? {} : { body }),
      ...(ask === undefined ? {} : { ask }),
      ...(header === undefined ? {} : { headers: header.map(headerOf) }),
    });
    if (answer.is === 'cannot') throw new AnvilError('E_ENTRY', answer.why);
    const entry = { ...answer.entry, pieces: answer.entry.pieces.filter(({ layer }) => !without.includes(layer)) };
    if (format === 'json') print([JSON.stringify(entry, null, 2)]);
    else print(entryLines(entry, paint));
    const { status } = entry.answer ?? {};
    return entry.why !== undefined || (status !== undefined && status >= 500) ? 1 : 0;
  } finally {
    window.close();
  }
}

function headerOf(text: string): [string, string] {
  const at = text.indexOf(':');
  if (at <= 0) throw new AnvilError('E_OPTION', `--header takes "name: value", not ${text}`);
  return [text.slice(0, at).trim(), text.slice(at + 1).trim()];
}
