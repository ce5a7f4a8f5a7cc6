/** Examples that come with the package: each a folder with `example.json` and a picture, copied to where one works. */
import { cpSync, existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { z } from 'zod';
import { AnvilError } from '../../syntax/problems.js';

const about = z.object({
  title: z.string(),
  sentence: z.string(),
  /** The pad in it. */
  pad: z.string(),
  /** Place in the list. */
  place: z.number(),
});

export interface Example {
  /** Of its folder. */
  name: string;
  title: string;
  sentence: string;
  pad: string;
  /** An SVG as `data:` address. */
  picture: string;
}

const EXAMPLES = fileURLToPath(new URL('../../../examples', import.meta.url));

export function examples(): Example[] {
  const found: (Example & { place: number })[] = [];
  for (const name of readdirSync(EXAMPLES)) {
    const file = join(EXAMPLES, name, 'example.json');
    if (!existsSync(file)) continue;
    const picture = readFileSync(join(EXAMPLES, name, 'example.svg')).toString('base64');
    found.push({
      ...about.parse(JSON.parse(readFileSync(file, 'utf8'))),
      name,
      picture: `data:image/svg+xml;base64,${picture}`,
    });
  }
  return found.sort((a, b) => a.place - b.place).map(({ place: _place, ...rest }) => rest);
}

/**
 * Copies an example into a folder, unless it is there already: what is there may have been changed.
 *
 * @returns the path of its pad
 * @throws AnvilError `E_NOT_FOUND` when there is no such example, `E_WRITE` when it cannot be copied
 */
export function copyExample(name: string, folder: string): { pad: string; copied: boolean } {
  const found = examples().find((one) => one.name === name);
  if (!found) throw new AnvilError('E_NOT_FOUND', `There is no example named ${name}.`);
  const target = join(folder, name);
  const pad = join(target, found.pad);
  if (existsSync(pad)) return { pad, copied: false };
  try {
    cpSync(join(EXAMPLES, name), target, {
      recursive: true,
      force: false,
      filter: (path) => !/[\\/]example\.\w+$/.test(path),
    });
  } catch (cause) {
    throw new AnvilError('E_WRITE', `The example could not be copied to ${target}: ${(cause as Error).message}.`, {
      cause,
    });
  }
  return { pad, copied: true };
}
