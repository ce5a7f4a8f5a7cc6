/** Handlers that the texts of a program register, with the paths that they come to have where they are mounted. */
import type { Mount, Registration, Registrations } from '../../syntax/registrations.js';
import type { RegisteredHandler } from './book.js';

/** A text, what it registers, and where its names come from. */
export interface RegisteringText extends Registrations {
  file: string;
  /** The local file that a name is imported from. */
  importOf(name: string): string | undefined;
  /** The local file that a specifier leads to. */
  resolve(specifier: string): string | undefined;
}

/** Mounts inside mounts that are followed. */
const DEEPEST = 8;

export function registeredHandlers(texts: readonly RegisteringText[]): RegisteredHandler[] {
  const found = new Map<string, RegisteredHandler>();
  for (const text of texts)
    for (const handler of text.handlers)
      for (const one of placed(texts, text, handler)) {
        const key = one.route ? `${one.route.method} ${one.route.path}` : `${one.kind} ${one.name}`;
        if (!found.has(key)) found.set(key, one);
      }
  return [...found.values()];
}

function placed(
  texts: readonly RegisteringText[],
  { file }: RegisteringText,
  handler: Registration,
): RegisteredHandler[] {
  const { kind, method, path, line, handler: called } = handler;
  if (kind !== 'request')
    return [{ kind, name: path, file, line, ...(called === undefined ? {} : { handler: called }) }];
  return prefixesOf(texts, file, handler, 0).map((prefix) => ({
    ...{ kind, name: path, file, line },
    route: { method, path: joined(prefix, path) },
  }));
}

/** Paths under which what is registered at an object of a file is found; one that nobody mounts has none before it. */
function prefixesOf(
  texts: readonly RegisteringText[],
  file: string,
  { on, inside }: Pick<Mount, 'on' | 'inside'>,
  depth: number,
): string[] {
  const own = texts.find((one) => one.file === file);
  const base = own?.bases.get(on) ?? '';
  return mountedAt(texts, file, { on, inside }, depth).map((prefix) => (base === '' ? prefix : joined(prefix, base)));
}

function mountedAt(
  texts: readonly RegisteringText[],
  file: string,
  { on, inside }: Pick<Mount, 'on' | 'inside'>,
  depth: number,
): string[] {
  if (depth > DEEPEST) return [''];
  const found: string[] = [];
  const own = texts.find((one) => one.file === file);
  const isMeant = (what: Mount['what']): boolean => 'name' in what && (what.name === on || what.name === inside);
  for (const mount of own?.mounts ?? [])
    if (isMeant(mount.what) && !(mount.on === on && mount.inside === inside))
      for (const outer of prefixesOf(texts, file, mount, depth + 1)) found.push(joined(outer, mount.prefix));
  if (found.length > 0) return unique(found);
  for (const text of texts) {
    if (text.file === file) continue;
    for (const mount of text.mounts) {
      const { what } = mount;
      const from = 'name' in what ? text.importOf(what.name) : text.resolve(what.specifier);
      if (from !== file) continue;
      for (const outer of prefixesOf(texts, text.file, mount, depth + 1)) found.push(joined(outer, mount.prefix));
    }
  }
  return found.length > 0 ? unique(found) : [''];
}

function joined(prefix: string, path: string): string {
  const before = prefix.endsWith('/') ? prefix.slice(0, -1) : prefix;
  return path === '/' || path === '' ? before || '/' : `${before}${path.startsWith('/') ? '' : '/'}${path}`;
}

function unique(list: readonly string[]): string[] {
  return [...new Set(list)];
}
