/** `usher-anvil attach`: changes in a Node process that was started without us. */
import { relative } from 'node:path';
import { Attachment, LESSER_WAY } from '../hosts/node/attach.js';
import { SavedFiles } from '../hosts/node/saved-files.js';
import { AnvilError } from '../syntax/problems.js';
import { harmless, makePaint, wantsColour } from './paint.js';

/**
 * Patches until the process ends or this one is interrupted; with `evaluate`, evaluates once.
 *
 * @param target a process id, a port, or host:port
 * @returns the exit code
 * @throws AnvilError `E_OPTION` for a target of another form; `E_TARGET` when it cannot be attached to
 */
export async function attachCommand(target: string, options: { evaluate?: string }): Promise<number> {
  const address = /^(?:(.+):)?(\d+)$/.exec(target);
  if (!address)
    throw new AnvilError(
      'E_OPTION',
      `${target} is neither a process id nor host:port. Example: usher-anvil ` +
        'attach 4711, usher-anvil attach 127.0.0.1:9229',
    );
  const [, host, number] = address;
  const attachment = await Attachment.open(
    host === undefined ? { pid: Number(number) } : { host, port: Number(number) },
  );
  if (options.evaluate !== undefined) {
    const { text, failed } = await attachment.evaluate(options.evaluate);
    process.stdout.write(`${harmless(text)}\n`);
    attachment.close();
    return failed ? 1 : 0;
  }
  // The scripts it has loaded are told one by one.
  await new Promise((resolve) => setTimeout(resolve, 150));
  const paint = makePaint(wantsColour(process.stderr, process.env));
  const cwd = process.cwd();
  const short = (file: string): string => {
    const path = relative(cwd, file);
    return path.startsWith('..') ? file : path;
  };
  const write = (line: string): void => void process.stderr.write(`${line}\n`);
  const take = async (file: string): Promise<void> => {
    const outcome = await attachment.changed(file).catch(() => undefined);
    if (!outcome) return;
    const colour = outcome.kind === 'patched' ? paint.pass : paint.fail;
    write(
      `${paint.bold(short(file))} ` +
        ` ${colour(harmless(outcome.text))}${outcome.details.map((detail) => `\n    ${harmless(detail)}`).join('')}`,
    );
  };
  // Before it is said that saves are taken.
  const saved = new SavedFiles((files) => files.forEach((file) => void take(file)));
  saved.add(attachment.loaded);
  write(
    `attached to process ${attachment.pid}, ` +
      `node ${attachment.version}: ${attachment.loaded.map(short).join(', ') || 'no local files'}`,
  );
  for (const line of LESSER_WAY) write(`    ${line}`);
  return new Promise((resolve) => {
    const end = (code: number): void => void saved.close().then(() => resolve(code));
    attachment.onEnd = () => {
      write('the process has ended, or has closed its inspector');
      end(0);
    };
    process.once('SIGINT', () => {
      attachment.onEnd = undefined;
      attachment.close();
      end(0);
    });
  });
}
