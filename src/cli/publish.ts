/** `usher-anvil publish`: a pad as one page in which it is alive, without this tool. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { basename, dirname, extname, join, resolve } from 'node:path';
import { gzipSync } from 'node:zlib';
import { padPath } from '../hosts/node/files.js';
import { collectPad, unansweredImports } from '../server/publish/collect.js';
import { publishedFile, publishedFolder } from '../server/publish/page.js';
import { AnvilError } from '../syntax/problems.js';
import { duration } from './execute.js';
import { place } from './listing-paint.js';

export interface PublishOptions {
  out?: string;
  folder?: string;
  allow?: string[];
  runs?: boolean;
  timeLimit: string;
}

/**
 * Executes a pad, and writes a page that holds it, with all it needs.
 *
 * @returns the exit code
 * @throws AnvilError `E_OPTION` for an address that is none, `E_WRITE` where it cannot be written; see {@link collectPad}
 */
export async function publishCommand(pads: string[], options: PublishOptions): Promise<number> {
  const cwd = process.cwd();
  const { out, folder, runs = false } = options;
  if (out !== undefined && (folder !== undefined || pads.length > 1))
    throw new AnvilError('E_OPTION', '--out is for one pad as one file. Take --folder for several, or for a site.');
  const allowed = (options.allow ?? []).map(originOf);
  const timeLimitMs = duration(options.timeLimit, '--time-limit');
  const made: { name: string; file: string; pad: Awaited<ReturnType<typeof collectPad>> }[] = [];
  for (const given of pads) {
    const file = padPath(given, cwd, 'page');
    // A page is not written over itself.
    const name = `${basename(file, extname(file))}${/\.html?$/i.test(file) ? '.pad' : ''}.html`;
    if (out !== undefined && resolve(cwd, out) === file)
      throw new AnvilError('E_OPTION', `--out is the pad itself: ${file} would be lost. Take another name.`);
    if (made.some((one) => one.name === name))
      throw new AnvilError('E_OPTION', `Two pads would be written to ${name}. Publish them to different folders.`);
    const pad = await collectPad(file, runs, timeLimitMs);
    for (const { file: at, line, specifier } of unansweredImports(pad))
      process.stderr.write(`${at}:${line}  ${specifier} is a module of Node: in the page this pad fails there.\n`);
    for (const why of new Set(Object.values(pad.packages.broken ?? {})))
      process.stderr.write(`${why}: in the page its import fails.\n`);
    if (pad.lowers && folder === undefined)
      process.stderr.write(
        `${basename(file)} has decorators, or other syntax that takes a whole compiler, and one file carries none: there the pad is read and does not run. Publish it with --folder.\n`,
      );
    made.push({ name, file, pad });
  }
  const title = (file: string): string => basename(file);
  const files: Record<string, string> =
    folder === undefined
      ? Object.fromEntries(
          made.map(({ name, file, pad }) => [
            resolve(cwd, out ?? name),
            publishedFile(pad, { title: title(file), allowed }),
          ]),
        )
      : Object.fromEntries(
          Object.entries(
            publishedFolder(
              made.map(({ name, file, pad }) => ({ name, pad, options: { title: title(file), allowed } })),
            ),
          ).map(([name, text]) => [join(resolve(cwd, folder), name), text]),
        );
  for (const { file, pad } of made)
    if (!pad.runs && pad.last.length === 0)
      process.stdout.write(
        `${basename(file)} has not run in a window as it is now: it is published without a last run. Open it first, and its page reads before it runs: usher-anvil open ${basename(file)}\n`,
      );
  for (const [path, text] of Object.entries(files)) {
    try {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
    } catch (error) {
      throw new AnvilError('E_WRITE', `${path} cannot be written: ${(error as Error).message}`);
    }
    const [kB, packed] = [Buffer.byteLength(text), gzipSync(text).length].map((bytes) => (bytes / 1000).toFixed(0));
    process.stdout.write(`${place(path, 0, cwd).replace(/:1$/, '')}  ${kB} kB, ${packed} kB compressed\n`);
  }
  return 0;
}

function originOf(given: string): string {
  try {
    const { origin, protocol } = new URL(given);
    if (protocol === 'https:' || protocol === 'http:') return origin;
  } catch {
    // Said below.
  }
  throw new AnvilError('E_OPTION', `--allow is "${given}". It is an address, as https://wenlow.example.`);
}
