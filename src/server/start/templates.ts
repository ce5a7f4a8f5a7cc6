/** Templates of pads: plain files in a folder of the package, and in one of the project's own. */
import { readdirSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PAD_FOLDER } from '../../hosts/node/pad-folder.js';
import { readText } from '../../hosts/node/files.js';
import { nearest } from '../../syntax/names.js';
import { isPageFile } from '../../syntax/page-text.js';
import { EXTENSIONS } from '../../syntax/parse.js';
import { AnvilError } from '../../syntax/problems.js';

export interface Template {
  /** Of its file, without extension. */
  name: string;
  /** What it is for. */
  sentence: string;
  extension: string;
  /** The text a pad begins with. */
  text: string;
  /** True for one of the project's own. */
  own: boolean;
}

const OURS = fileURLToPath(new URL('../../../templates', import.meta.url));

/** In this order they are offered; others follow by name. */
const ORDER = [
  'typescript',
  'javascript',
  'tests',
  'data',
  'request',
  'drawing',
  'page',
  'animation',
  'component',
  'server',
  'extension',
];

/** What a pad begins with that was asked for without a template. */
export const EMPTY = 'typescript';

/**
 * The templates for a folder: those of `.usher-anvil/templates` there and in the folders above, the nearest first, then
 * ours. A template of the same name takes the place of one further away.
 */
export function templatesFor(folder: string): Template[] {
  const found = new Map<string, Template>();
  for (let at = folder; ; at = dirname(at)) {
    for (const one of templatesIn(join(at, PAD_FOLDER, 'templates'), true))
      if (!found.has(one.name)) found.set(one.name, one);
    if (dirname(at) === at) break;
  }
  const ours = templatesIn(OURS, false).filter((one) => !found.has(one.name));
  const place = ({ name }: Template): number => (ORDER.includes(name) ? ORDER.indexOf(name) : ORDER.length);
  ours.sort((a, b) => place(a) - place(b));
  return [...found.values(), ...ours];
}

/** @throws AnvilError `E_TEMPLATE` when there is none of that name */
export function templateNamed(name: string, folder: string): Template {
  const all = templatesFor(folder);
  const found = all.find((one) => one.name === name);
  if (found) return found;
  const near = nearest(
    name,
    all.map((one) => one.name),
  );
  throw new AnvilError(
    'E_TEMPLATE',
    `There is no template named ${name}.${near === undefined ? '' : ` Did you mean ${near}?`} ` +
      `There are ${all.map((one) => one.name).join(', ')}.`,
  );
}

function templatesIn(folder: string, own: boolean): Template[] {
  let names: string[];
  try {
    names = readdirSync(folder).sort();
  } catch {
    return [];
  }
  return names.flatMap((file) => {
    const extension = extname(file);
    if (!(EXTENSIONS as readonly string[]).includes(extension.toLowerCase()) && !isPageFile(file)) return [];
    try {
      return [{ name: file.slice(0, -extension.length), extension, own, ...partsOf(readText(join(folder, file))) }];
    } catch {
      // One that cannot be read is none.
      return [];
    }
  });
}

/** A comment in the first line says what the template is for, and is no part of the pad. */
function partsOf(text: string): { sentence: string; text: string } {
  const [, line, remark, rest] = /^(?:(?:\/\/[ \t]*(.*)|<!--[ \t]*(.*?)[ \t]*-->)\r?\n?(?:[ \t]*\r?\n)*)?([^]*)$/.exec(
    text,
  )!;
  return { sentence: (line ?? remark ?? '').trim(), text: rest! };
}
