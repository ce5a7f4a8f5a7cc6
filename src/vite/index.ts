/**
 * `usher-anvil/vite`: the pages of a development server as a live program. They
 * are patched at every save, looked at in the workbench and spoken to at a
 * prompt, and go on with their state. A page is loaded anew only where a change
 * cannot be made in place, and says why.
 */
import { readFileSync } from 'node:fs';
import { relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { buildSync } from 'esbuild';
import type { DevEnvironment, EnvironmentModuleNode, Plugin, ViteDevServer } from 'vite';
import { EVENTS } from '../hosts/browser/page.js';
import { NodeFiles } from '../hosts/node/files.js';
import { nodeLanguage } from '../hosts/node/language.js';
import { mapOf, segmentsOf } from '../instrument/source-map.js';
import type { ModuleCode } from '../wire/modules.js';
import { LiveSession } from '../session/live/session.js';
import { registerTarget, type RegisteredTarget } from '../server/register-target.js';
import { freeName } from '../server/targets.js';
import { LineTable } from '../syntax/positions.js';
import { AnvilError } from '../syntax/problems.js';
import { PageGuest } from './page-guest.js';

export interface UsherAnvilOptions {
  /** Files that take part; by default all scripts of the project outside of `node_modules`. */
  include?: (file: string) => boolean;
  /** Where the line that each save is answered by goes; by default the server's own log. */
  log?: (line: string, details: readonly string[]) => void;
  /** Name among the targets; by default that of the project's folder. `false` keeps it to itself. */
  name?: string | false;
}

/** Address of the page's side, which every instrumented module imports first. */
const PAGE = '/@usher-anvil/page';
/** Milliseconds in which several saved files are taken as one change. */
const TOGETHER_MS = 8;
/** When a file that was saved is looked at again. */
const AGAIN_MS = [80, 400];
/** For how long a file is empty that is meant to be. */
const EMPTY_MS = 250;

export default function usherAnvil(options: UsherAnvilOptions = {}): Plugin {
  const pages = new Map<string, PageGuest>();
  let root = '';
  let server: ViteDevServer | undefined;
  let environment: DevEnvironment | undefined;
  let page: { code: string; map: string } | undefined;
  let registered: RegisteredTarget | undefined;
  const session = new LiveSession('', { files: new NodeFiles(), language: nodeLanguage });
  /** Files that pages may have loaded. */
  const known = new Set<string>();
  const waiting = new Set<string>();
  /** Texts that were taken, by file. */
  const handled = new Map<string, string>();
  const emptySince = new Map<string, number>();
  let timer: NodeJS.Timeout | undefined;
  let refresh: NodeJS.Timeout | undefined;

  const takesPart = (file: string): boolean =>
    /\.(?:[cm]?js|m?ts)$/.test(file) &&
    !file.includes(`${sep}node_modules${sep}`) &&
    (options.include ? options.include(file) : file.startsWith(root));
  const say = (file: string, text: string, details: readonly string[] = []): void => {
    const line = `${relative(root, file)}  ${text}`;
    if (options.log) options.log(line, details);
    else server?.config.logger.info([line, ...details.map((detail) => `    ${detail}`)].join('\n'));
  };

  function listen(hot: DevEnvironment['hot']): void {
    hot.on(EVENTS.here, ({ page: id }: { page: string }, client: PageGuest['client']) => {
      const before = pages.get(id);
      if (before) {
        // Its socket was away.
        before.client = client;
        return;
      }
      const guest = new PageGuest(id, client, {
        resolve: (specifier, from) => resolve(specifier, from),
        printed: (code) => printed(code),
        left: () => {
          pages.delete(id);
          session.leave(id);
        },
      });
      pages.set(id, guest);
      session.join(guest);
    });
    hot.on(EVENTS.from, ({ page: id, message }: { page: string; message: string }) => {
      try {
        pages.get(id)?.receive(message, session);
      } catch (error) {
        // Code of the page can send what it likes; the server goes on.
        server?.config.logger.warn(`usher-anvil: a page said what is not understood: ${(error as Error).message}`);
      }
      refresh ??= setTimeout(() => {
        refresh = undefined;
        registered?.refresh();
      }, 200);
      refresh.unref();
    });
    // A page that is closed, or loaded anew, takes its socket with it.
    hot.on('vite:client:disconnect', (_data: unknown, client: PageGuest['client']) => {
      for (const guest of pages.values()) if (guest.client === client) guest.away();
    });
  }

  /** Where the page loads a module that is imported only now. */
  async function resolve(specifier: string, from: string): Promise<{ url: string; target?: string } | undefined> {
    const resolved = await environment?.pluginContainer.resolveId(specifier, from);
    if (!resolved) return undefined;
    const file = resolved.id.split('?')[0]!;
    if (!/^[./]/.test(specifier)) return { url: `/@id/${specifier}` };
    const url = file.startsWith(root)
      ? `/${relative(root, file).split(sep).join('/')}`
      : `/@fs/${file.replace(/^\//, '')}`;
    return { url, ...(takesPart(file) ? { target: file } : {}) };
  }

  /** A module as it is served in the end, with where each of its places comes from. */
  async function printed(code: ModuleCode): Promise<ModuleCode> {
    // What the page executes is known to the server a moment later.
    for (let tries = 0; tries < 20; tries++) {
      for (const { transformResult } of environment?.moduleGraph.getModulesByFile(code.file) ?? []) {
        const map = transformResult?.map;
        if (!transformResult || !map || !('mappings' in map) || map.mappings === '') continue;
        const original = new LineTable(code.original);
        const segments = segmentsOf({ code: transformResult.code, map: JSON.stringify(map) }, (line, character) =>
          original.offsetAt({ line, character }),
        );
        return { ...code, ...segments, code: transformResult.code };
      }
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    return code;
  }

  function notice(file: string): void {
    waiting.add(file);
    clearTimeout(timer);
    timer = setTimeout(() => look([...waiting], true), TOGETHER_MS);
  }

  /**
   * Takes files whose text is another than before. The watcher swallows a second change soon after a first, and editors
   * may empty a file before they write it: both are looked at again.
   */
  function look(list: readonly string[], again: boolean): void {
    for (const file of list) waiting.delete(file);
    const changed: string[] = [];
    for (const file of list) {
      const text = textOf(file);
      if (text !== '') emptySince.delete(file);
      else if (!emptySince.has(file)) emptySince.set(file, Date.now());
      if (text === undefined || text === handled.get(file)) continue;
      // About to be written, unless it is empty for longer.
      if (text === '' && Date.now() - emptySince.get(file)! < EMPTY_MS) continue;
      handled.set(file, text);
      changed.push(file);
    }
    if (changed.length > 0) void session.changed(changed);
    if (again) for (const ms of AGAIN_MS) setTimeout(() => look(list, false), ms).unref();
  }

  session.onEvent(({ kind, file, text, details, typed }) => {
    // What a person is in the middle of typing is answered in the window where it is typed.
    if (!typed || kind !== 'refused') say(file || root, text, details);
  });

  /** Windows find the pages under the name of their project. */
  async function open(): Promise<void> {
    if (options.name === false) return;
    try {
      registered = await registerTarget({
        session,
        name: options.name ?? freeName(root),
        pid: process.pid,
        root,
        entry: root,
      });
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      server?.config.logger.warn(`${error.code}  ${error.message} The pages are patched, and cannot be joined.`);
    }
  }

  return {
    name: 'usher-anvil',
    apply: 'serve',
    enforce: 'pre',
    configResolved(config) {
      root = config.root;
      session.file = root;
    },
    async configureServer(made) {
      server = made;
      environment = made.environments.client;
      listen(environment.hot);
      await open();
      made.httpServer?.once('close', () => void registered?.leave('the server has ended'));
      const close = made.close.bind(made);
      made.close = async () => {
        await registered?.leave('the server has ended');
        await close();
      };
    },
    resolveId(id) {
      return id === PAGE ? PAGE : undefined;
    },
    load(id) {
      if (id !== PAGE) return undefined;
      return (page ??= pageText());
    },
    transform(code, id) {
      if (id === PAGE || this.environment?.name !== 'client' || id.includes('?') || !takesPart(id)) return undefined;
      // What cannot be parsed is said by the server, in the page.
      const served = session.serve(id, code);
      if (served?.format !== 'module') return undefined;
      known.add(id);
      return { code: `import ${JSON.stringify(PAGE)};${served.code}`, map: mapOf(served.compiled, code) as never };
    },
    hotUpdate: {
      order: 'pre',
      handler({ file, type }: { file: string; type: string; modules: EnvironmentModuleNode[] }) {
        if (this.environment.name !== 'client' || !takesPart(file) || !known.has(file)) return undefined;
        // Gone for a moment, as many editors do: it comes back.
        if (type === 'delete') return [];
        notice(file);
        // The server's own update leaves these modules alone.
        return [];
      },
    },
  };
}

/** The page's side. Debuggers pass over it: a line that is printed is shown where it is printed. */
function pageText(): { code: string; map: string } {
  const made = buildSync({
    stdin: {
      contents: `import { startPage } from './page.js';
if (import.meta.hot) startPage({ send: (event, data) => import.meta.hot.send(event, data), on: (event, listener) => import.meta.hot.on(event, listener) }, [${JSON.stringify(PAGE)}, '/@vite/client']);`,
      resolveDir: fileURLToPath(new URL('../hosts/browser', import.meta.url)),
    },
    bundle: true,
    write: false,
    format: 'esm',
    target: 'es2022',
    outfile: 'page.js',
    sourcemap: 'external',
  });
  const text = (suffix: string): string => made.outputFiles.find((file) => file.path.endsWith(suffix))!.text;
  const map = JSON.parse(text('.map')) as { sources: string[] };
  const ignoreList = map.sources.map((_, index) => index);
  // The name in the standard (ECMA-426), and the one that older debuggers read.
  return { code: text('page.js'), map: JSON.stringify({ ...map, ignoreList, x_google_ignoreList: ignoreList }) };
}

function textOf(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return undefined;
  }
}
