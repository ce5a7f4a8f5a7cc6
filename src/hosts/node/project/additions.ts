/**
 * What a project adds: plugins that its configuration names. Languages make JavaScript of further files, verbs and views
 * say more of values, hosts start the processes of pads.
 */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { runInThisContext } from 'node:vm';
import { buildSync } from 'esbuild';
import { z } from 'zod';
import type { LanguagePlugin } from '../../../instrument/made-code.js';
import { putVerb, VERBS, type Verb } from '../../../syntax/verbs/index.js';
import { isOwn } from '../ownership.js';
import type { HostPlugin } from '../spawning.js';

/** The file in which a project says what it adds. */
export const CONFIG_FILE = 'usher-anvil.config.json';

const names = z.array(z.string().min(1)).max(50).default([]);
const config = z.strictObject({
  format: z.literal('usher-anvil/config@1'),
  /** Modules whose default export is a plugin of that kind, by path or as packages. */
  languages: names,
  verbs: names,
  views: names,
  hosts: names,
});

/** A function, which is called with what it is documented to take. */
const callable = <T>(): z.ZodType<T> => z.custom<T>((one) => typeof one === 'function', 'a function is wanted');
const name = z.string().min(1).max(100);

const PLUGINS = {
  languages: z.object({
    name,
    extensions: z.array(z.string().regex(/^(?:\.[\w-]+)+$/)).min(1),
    comment: z.string().min(1).max(10),
    keywords: z.array(z.string()).max(1_000).optional(),
    mode: z.enum(['html', 'javascript']).optional(),
    place: z.literal('page').optional(),
    toJavaScript: callable<LanguagePlugin['toJavaScript']>(),
  }),
  verbs: z.object({
    name: z
      .string()
      .regex(/^[a-z][a-z-]*$/, 'a verb is one lower-case word')
      .refine((word) => !VERBS.some((verb) => verb.name === word), 'there is such a mark already'),
    expression: z.enum(['none', 'optional', 'required']),
    reports: z.enum(['value', 'holds', 'time']),
    view: z.enum(['plot', 'table']).optional(),
    about: z.string().min(1).max(300),
    tell: callable<NonNullable<Verb['tell']>>().optional(),
  }),
  views: z.object({ name, of: callable<ViewPlugin['of']>() }),
  hosts: z.object({
    name,
    for: callable<NonNullable<HostPlugin['for']>>().optional(),
    command: callable<HostPlugin['command']>(),
  }),
};

/** A way of a project to show a value; see `src/views/added.ts`. */
export interface ViewPlugin {
  /** For people: `the reach of a lock`. */
  name: string;
  /**
   * @param data the value, as far as it was captured: plain objects, arrays, texts, numbers; maps as objects
   * @param facts its type, and the name of its class
   * @returns a view as data, of one of the kinds that there are; nothing where it does not fit
   */
  of(data: unknown, facts: { type: string; class?: string }): unknown;
}

interface Kinds {
  languages: LanguagePlugin;
  verbs: Verb;
  views: ViewPlugin;
  hosts: HostPlugin;
}

export type PluginKind = keyof Kinds;

/** A plugin, and where it comes from, relative to its configuration. */
export interface Added<Plugin> {
  plugin: Plugin;
  from: string;
}

export type Additions = { [Kind in PluginKind]: Added<Kinds[Kind]>[] } & {
  /** What cannot be read, for a person; empty where all can. */
  wrong: string;
  /** What the configuration names, where nobody has said yet that it may execute. */
  held?: string[];
};

const NONE: Additions = { languages: [], verbs: [], views: [], hosts: [], wrong: '' };
const known = new Map<string, { stamp: string; additions: Additions }>();

/** Who is asked before what a configuration names executes here. */
const askedFirst = new Set<(config: string) => boolean>();

/**
 * Has somebody asked before what a project adds executes in this process; all that are asked have to agree.
 *
 * @param mayExecute is given the path of the configuration
 * @returns ends it
 */
export function askBeforeAdditions(mayExecute: (config: string) => boolean): () => void {
  askedFirst.add(mayExecute);
  return () => void askedFirst.delete(mayExecute);
}

/** The configuration that holds for a folder; undefined where there is none. */
export function configFor(folder: string): string | undefined {
  for (let at = folder; ; at = dirname(at)) {
    const file = join(at, CONFIG_FILE);
    if (existsSync(file)) return file;
    if (dirname(at) === at) return undefined;
  }
}

/**
 * What the project of a folder adds. Its plugins are loaded once for each text of the configuration, and execute in
 * this process; marks of its verbs are known from then on.
 */
export function additionsFor(folder: string): Additions {
  const file = configFor(folder);
  if (file === undefined) return NONE;
  if ([...askedFirst].some((mayExecute) => !mayExecute(file))) return { ...NONE, held: namedIn(file) };
  const { mtimeMs, size } = statSync(file);
  const stamp = `${mtimeMs}:${size}`;
  const before = known.get(file);
  if (before?.stamp === stamp) return before.additions;
  const additions: Additions = { languages: [], verbs: [], views: [], hosts: [], wrong: '' };
  known.set(file, { stamp, additions });
  try {
    const asked = config.parse(JSON.parse(readFileSync(file, 'utf8')));
    const modules = (Object.keys(PLUGINS) as PluginKind[]).flatMap((kind) => asked[kind]);
    for (const one of [
      file,
      ...modules.filter((from) => /^[./]/.test(from)).map((from) => resolve(dirname(file), from)),
    ])
      if (!isOwn(one))
        throw new Error(`${one} belongs to somebody else, and is not executed. Copy it to make it yours`);
    for (const kind of Object.keys(PLUGINS) as PluginKind[])
      for (const from of asked[kind]) additions[kind].push({ plugin: pluginAt(file, from, kind) as never, from });
    for (const { plugin } of additions.verbs) putVerb(plugin);
  } catch (error) {
    additions.wrong = `${file}: ${wordsOf(error)}`;
  }
  return additions;
}

/** What a configuration names; nothing of it executes. */
function namedIn(file: string): string[] {
  try {
    const { languages, verbs, views, hosts } = config.parse(JSON.parse(readFileSync(file, 'utf8')));
    return [...languages, ...verbs, ...views, ...hosts];
  } catch {
    return [];
  }
}

/** Compiled on the spot, so that it may be written as the project is: as a module, in TypeScript. */
function pluginAt(file: string, from: string, kind: PluginKind): unknown {
  let found: unknown;
  try {
    // Packages are loaded as they are installed; one that is the plugin itself comes along.
    found = loaded(file, from, /^[./]/.test(from));
  } catch (error) {
    if (!/^ERR_(?:REQUIRE_ESM|PACKAGE_PATH_NOT_EXPORTED)$/.test((error as NodeJS.ErrnoException).code ?? ''))
      throw error;
    // A package that is there as modules alone.
    found = loaded(file, from, false);
  }
  const given = PLUGINS[kind].safeParse(found);
  if (given.success) return found;
  throw new Error(`${from} is none of the ${kind}: ${wordsOf(given.error)}`);
}

/** Written so that what bundles this file does not take it for its own. */
const OWN_ADDRESS = ['import', 'meta', 'url'].join('.');

/** @param apart packages stay what they are, and are required */
function loaded(file: string, from: string, apart: boolean): unknown {
  const { outputFiles } = buildSync({
    stdin: { contents: `module.exports = require(${JSON.stringify(from)})`, resolveDir: dirname(file), loader: 'js' },
    ...{ bundle: true, write: false, format: 'cjs', platform: 'node', target: 'node20', logLevel: 'silent' },
    define: { [OWN_ADDRESS]: 'modulesHere' },
    ...(apart ? { packages: 'external' as const } : {}),
  });
  const module = { exports: {} as { default?: unknown } };
  const load = runInThisContext(`(function (module, exports, require, modulesHere) {${outputFiles[0]!.text}\n})`, {
    filename: from,
  }) as (...given: unknown[]) => void;
  load(module, module.exports, createRequire(file), pathToFileURL(file).href);
  return module.exports.default ?? module.exports;
}

function wordsOf(error: unknown): string {
  if (!(error instanceof z.ZodError)) return (error as Error).message;
  const [issue] = error.issues;
  return `${issue!.path.map(String).join('.')} ${issue!.message}`.trim();
}

/** What a project has execute here, in words: `toll rules (./toll-rules.mjs), the mark pace: (./pace.mjs)`. */
export function additionsText({ languages, verbs, views, hosts }: Additions): string {
  const words: [string, string][] = [
    ...languages.map(({ plugin, from }): [string, string] => [plugin.name, from]),
    ...verbs.map(({ plugin, from }): [string, string] => [`the mark ${plugin.name}:`, from]),
    ...views.map(({ plugin, from }): [string, string] => [`a view of ${plugin.name}`, from]),
    ...hosts.map(({ plugin, from }): [string, string] => [`processes by ${plugin.name}`, from]),
  ];
  return words.map(([word, from]) => `${word} (${from})`).join(', ');
}
