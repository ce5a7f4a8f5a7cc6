/** Names that can be written behind a text, from the objects that live; no getter is run. */
import type { LiveModule } from '../../patch/live-module.js';
import { planChanges } from '../../patch/plan.js';
import type { NameFound, NamesRequest } from '../../wire/looking.js';
import type { RunningProgram } from './running.js';
import type { LiveTarget } from './target-state.js';

/** The end of a text: names with dots between, perhaps a dot, perhaps the beginning of a name. */
const END =
  /(?:^|[^\p{ID_Continue}$.#])((?:[\p{ID_Start}$_][\p{ID_Continue}$]*|this)(?:\??\.[\p{ID_Start}$_][\p{ID_Continue}$]*|\[\d+\])*)?(\??\.)?([\p{ID_Start}$_][\p{ID_Continue}$]*)?$/u;

/** What is to be completed. */
export interface Unfinished {
  /** Names before the last, from the outermost. */
  path: string[];
  /** The beginning of the last. */
  prefix: string;
}

/** Reads the end of a text; undefined where nothing is known without running it. */
export function unfinishedAt(text: string): Unfinished | undefined {
  const found = END.exec(text);
  if (!found) return undefined;
  const [, before, dot, last] = found;
  // Behind something else than names nothing is known without running it.
  if (dot !== undefined && before === undefined) return undefined;
  const written = `${before ?? ''}${dot === undefined ? (last ?? '') : ''}`;
  const path = [...written.matchAll(/[\p{ID_Start}$_][\p{ID_Continue}$]*|\d+/gu)].map((match) => match[0]);
  const prefix = dot === undefined ? (path.pop() ?? '') : (last ?? '');
  return { path, prefix };
}

/** Names behind the end of a text that is entered for a module. */
export async function completeNames(
  running: RunningProgram,
  module: LiveModule,
  target: LiveTarget,
  { path, prefix }: Unfinished,
): Promise<NameFound[]> {
  const look = async (request: Omit<NamesRequest, 'do' | 'file' | 'prefix'>): Promise<NameFound[]> => {
    const answer = await target.look({ do: 'names', file: module.file, prefix, ...request });
    return answer.is === 'names' ? answer.names : [];
  };
  const [root, ...rest] = path;
  if (root !== undefined) {
    const { topLevel, imports } = module.outline;
    const known = topLevel.has(root) || imports.some((entry) => entry.names.some((name) => name.local === root));
    const code = known ? codeOf(running, module, root) : undefined;
    return look({ path: known ? rest : path, ...(code === undefined ? {} : { code }) });
  }
  const own = ownNames(module, prefix);
  const globals = prefix === '' ? [] : await look({ path: [] });
  const further = globals.filter(({ name }) => !own.some((one) => one.name === name));
  return [...own, ...further.map((one) => ({ ...one, from: 'globalThis' }))];
}

/** Names that a module declares or imports. */
function ownNames({ outline }: LiveModule, prefix: string): NameFound[] {
  const declared = [...outline.topLevel].filter(([name, kind]) => kind !== 'type' && name.startsWith(prefix));
  const own = declared.map(([name, kind]): NameFound => {
    return { name, kind: kind === 'function' || kind === 'class' ? kind : 'value', text: kind };
  });
  for (const entry of outline.imports)
    for (const { local } of entry.names)
      if (local.startsWith(prefix)) own.push({ name: local, kind: 'value', text: `import ${entry.specifier}` });
  return own;
}

/** Code that reads a name inside a module. */
function codeOf(running: RunningProgram, module: LiveModule, name: string): string | undefined {
  const outline = running.outlineFor(module.file, `${module.outline.parsed.text}\n;(${name});`);
  return outline ? planChanges(module, outline, running.parts.language.translator).waiting[0]?.code : undefined;
}
