/** `usher-anvil new`: makes a pad from a template. */
import { existsSync, mkdirSync } from 'node:fs';
import { dirname, extname, join, resolve } from 'node:path';
import { padPath } from '../hosts/node/files.js';
import { saveText } from '../hosts/node/saving.js';
import { EMPTY, templateNamed, templatesFor } from '../server/start/templates.js';
import { EXTENSIONS } from '../syntax/extensions.js';
import { AnvilError } from '../syntax/problems.js';

/**
 * @returns the exit code
 * @throws AnvilError `E_TEMPLATE`, `E_EXISTS`, `E_NOT_A_PAD`, `E_WRITE`
 */
export async function newCommand(
  template: string | undefined,
  file: string | undefined,
  options: { list?: boolean; open?: boolean },
): Promise<number> {
  const cwd = process.cwd();
  if (options.list) {
    for (const { name, sentence, own } of templatesFor(cwd))
      process.stdout.write(`${name.padEnd(12)} ${sentence}${own ? "  (the project's own)" : ''}\n`);
    return 0;
  }
  // One name with an extension is the file's.
  const isFile = file === undefined && template !== undefined && isPadName(template);
  const found = templateNamed(isFile ? nameFor(template) : (template ?? EMPTY), cwd);
  const given = isFile ? template : (file ?? freeName(cwd, found.name === EMPTY ? 'pad' : found.name, found.extension));
  const path = resolve(cwd, given);
  if (existsSync(path)) throw new AnvilError('E_EXISTS', `${given} is there already. Choose another name.`);
  try {
    mkdirSync(dirname(path), { recursive: true });
    padPath(path, cwd, 'new');
    saveText(path, found.text);
  } catch (cause) {
    if (cause instanceof AnvilError) throw cause;
    throw new AnvilError('E_WRITE', `${given} was not made: ${(cause as Error).message}.`, { cause });
  }
  process.stdout.write(`${given} is made.\n`);
  if (options.open) return (await import('./open.js')).openCommand(given, {});
  process.stdout.write(`  usher-anvil open ${given}    the workbench on it\n  usher-anvil run ${given}     one run\n`);
  return 0;
}

function isPadName(name: string): boolean {
  return (EXTENSIONS as readonly string[]).includes(extname(name).toLowerCase());
}

function nameFor(file: string): string {
  return /\.[cm]?tsx?$/i.test(file) ? EMPTY : 'javascript';
}

function freeName(folder: string, name: string, extension: string): string {
  for (let number = 1; ; number++) {
    const file = `${name}${number === 1 ? '' : `-${number}`}${extension}`;
    if (!existsSync(join(folder, file))) return file;
  }
}
