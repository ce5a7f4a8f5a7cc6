/** `usher-anvil export`: one file that shows a pad with its values, readable without this tool. */
import { writeFileSync } from 'node:fs';
import { basename, extname, resolve } from 'node:path';
import { createSession } from '../hosts/node/index.js';
import { padPath } from '../hosts/node/files.js';
import { documentOf, FORMATS, isShareFormat } from '../server/share.js';
import { AnvilError } from '../syntax/problems.js';
import { useAdditions } from './additions.js';
import { duration, inputOf, print } from './execute.js';
import { place } from './listing-paint.js';

export interface ExportOptions {
  format: string;
  out?: string;
  input?: string;
  timeLimit: string;
}

/**
 * Runs a pad and writes the document; resolves with the exit code.
 *
 * @throws AnvilError `E_OPTION` for a format or option that is none; what cannot be read, as {@link runPad}
 */
export async function exportCommand(pad: string, options: ExportOptions): Promise<number> {
  const { format } = options;
  if (!isShareFormat(format))
    throw new AnvilError('E_OPTION', `--format is "${format}". It is one of ${FORMATS.join(', ')}.`);
  const cwd = process.cwd();
  const file = padPath(pad, cwd);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const data = await inputOf(options.input, cwd);
  useAdditions(file, false);
  const session = createSession({
    file,
    once: true,
    timeLimitMs,
    hangMs: timeLimitMs,
    ...(data ? { input: data.input } : {}),
  });
  try {
    session.execute();
    const record = await session.settled();
    const bytes = await documentOf(record, format, { name: place(file, 0, cwd).replace(/:1$/, ''), cwd });
    if (options.out === '-') {
      if (typeof bytes === 'string') await print(bytes);
      else await new Promise<void>((done) => process.stdout.write(bytes, () => done()));
      return 0;
    }
    const out = resolve(cwd, options.out ?? `${basename(file, extname(file))}.${format}`);
    try {
      writeFileSync(out, bytes);
    } catch (error) {
      throw new AnvilError('E_WRITE', `${out} cannot be written: ${(error as Error).message}`);
    }
    process.stdout.write(
      `${place(out, 0, cwd).replace(/:1$/, '')}  ${(Buffer.byteLength(bytes) / 1000).toFixed(1)} kB\n`,
    );
    return 0;
  } finally {
    await session.close();
    data?.remove();
  }
}
