/**
 * `usher-anvil/vite`: the pages of a development server as a live program. They
 * are patched at every save, looked at in the workbench and spoken to at a
 * prompt, and go on with their state. A page is loaded anew only where a change
 * cannot be made in place, and says why.
 */
import { relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { buildSync } from 'esbuild';
import type { DevEnvironment, EnvironmentModuleNode, Plugin, ViteDevServer } from 'vite';
import { nodeLanguage } from '../hosts/node/language.js';
import { Saves } from '../hosts/node/saved-files.js';
import { mapOf } from '../instrument/source-map.js';
import { LiveSession } from '../session/live/session.js';
import { registerTarget, type RegisteredTarget } from '../server/register-target.js';
import { checkName, freeName } from '../server/targets.js';
import type { ModuleCode } from '../wire/modules.js';
import { AnvilError } from '../syntax/problems.js';
import {
  componentsPlugin,
  drawAgain,
  isComponent,
  keepsState,
  MadeFiles,
  servedComponent,
  type Serve,
} from './components.js';
import type { PageServer } from './page-guest.js';
import { servePages } from './pages.js';
import { saidOfSave } from './other-saves.js';
import { resolveForPage, servedCode } from './served.js';
import { ServerSide } from './server-side.js';

export interface UsherAnvilOptions {
  /** Files that take part; by default all scripts of the project outside of `node_modules`. */
  include?: (file: string) => boolean;
  /** Where the line that each save is answered by goes; by default the server's own log. */
  log?: (line: string, details: readonly string[]) => void;
  /** Name among the targets; by default that of the project's folder. `false` keeps it to itself. */
  name?: string | false;
  /** It was put beside the plugins of the project by the command that started the server, and gives way to theirs. */
  added?: boolean;
}

/** Address of the page's side, which every instrumented module imports first. */
const PAGE = '/@usher-anvil/page';

export default function usherAnvil(options: UsherAnvilOptions = {}): Plugin[] {
  let root = '';
  let server: ViteDevServer | undefined;
  let environment: DevEnvironment | undefined;
  let page: { code: string; map: string } | undefined;
  let registered: RegisteredTarget | undefined;
  /** The project has the plugin itself. */
  let gaveWay = false;
  let keeps = false;
  let serverSide: ServerSide | undefined;
  const files = new MadeFiles();
  const session = new LiveSession('', { files, language: nodeLanguage });
  /** Files that pages may have loaded. */
  const known = new Set<string>();
  const saves = new Saves((files) => void session.changed(files));

  const isOwn = (file: string): boolean =>
    !gaveWay &&
    !file.includes(`${sep}node_modules${sep}`) &&
    (options.include ? options.include(file) : file.startsWith(root));
  const takesPart = (file: string): boolean => /\.(?:[cm]?js|m?ts)$/.test(file) && !isComponent(file) && isOwn(file);
  const say = (file: string, text: string, details: readonly string[] = []): void => {
    const line = `${relative(root, file)}  ${text}`;
    if (options.log) options.log(line, details);
    else server?.config.logger.info([line, ...details.map((detail) => `    ${detail}`)].join('\n'));
  };

  session.onEvent(({ kind, file, text, details, typed }) => {
    // What a person is in the middle of typing is answered in the window where it is typed.
    if (typed && kind === 'refused') return;
    if (kind === 'patched') serverSide?.patched(file);
    const seen = kind === 'patched' && environment ? drawAgain(environment, file, keeps) : '';
    say(file || root, `${text}${seen}`, details);
  });

  /** Instruments a module for where it is executed; in a page it imports the page's side first. */
  const serve: Serve = (id, code, where) => {
    const isPage = where.name === 'client';
    if (!isPage && (!serverSide || where.config.consumer !== 'server')) return undefined;
    // What cannot be parsed is said by the server, in the page.
    const served = session.serve(id, code, isPage ? undefined : serverSide!.symbol);
    if (served?.format !== 'module') return undefined;
    if (isPage) known.add(id);
    else serverSide!.begin();
    const map = mapOf(served.compiled, code) as never;
    return { code: isPage ? `import ${JSON.stringify(PAGE)};${served.code}` : served.code, map };
  };

  const scripts: Plugin = {
    name: 'usher-anvil',
    apply: 'serve',
    enforce: 'pre',
    configResolved(config) {
      const same = config.plugins.filter(({ name }) => name === 'usher-anvil');
      if (options.added && same.length > 1) gaveWay = true;
      keeps = keepsState(config.plugins);
      root = config.root;
      session.file = root;
    },
    async configureServer(made) {
      if (gaveWay) return;
      server = made;
      environment = made.environments.client;
      servePages(environment.hot, {
        session,
        server: pageServer(environment, root, takesPart),
        warn: (text) => server?.config.logger.warn(text),
        refresh: () => registered?.refresh(),
      });
      serverSide = new ServerSide({ session, takesPart, printed: printedFor, refresh: () => registered?.refresh() });
      serverSide.serve(made);
      if (options.name !== false)
        registered = await register(session, root, options.name, (text) => made.config.logger.warn(text));
      made.httpServer?.once('close', () => void registered?.leave('the server has ended'));
      const close = made.close.bind(made);
      made.close = async () => {
        serverSide?.leave();
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
      if (id === PAGE || id.includes('?')) return undefined;
      return takesPart(id) ? serve(id, code, this.environment) : undefined;
    },
    hotUpdate: {
      order: 'pre',
      handler({ file, type, modules }: { file: string; type: string; modules: EnvironmentModuleNode[] }) {
        if (session.hasData(file) && type !== 'delete') {
          saves.notice(file);
          return [];
        }
        const isHere = this.environment.name === 'client' ? known.has(file) : serverSide?.has(file);
        if (!isHere || !takesPart(file)) {
          const isPage = this.environment.name === 'client' && type === 'update';
          const said = isPage && !takesPart(file) && !isComponent(file) ? saidOfSave(file, modules) : '';
          if (said !== '') say(file, said);
          return undefined;
        }
        // Gone for a moment, as many editors do: it comes back.
        if (type === 'delete') return [];
        saves.notice(file);
        // The server's own update leaves these modules alone.
        return [];
      },
    },
  };

  return [
    scripts,
    componentsPlugin({ isOwn, files, serve, known, renders: (file) => serverSide?.has(file) ?? false, say }),
  ];
}

/** Where pages load modules from, and what they get. */
function pageServer(
  environment: DevEnvironment,
  root: string,
  takesPart: (file: string) => boolean,
): Omit<PageServer, 'left'> {
  return {
    resolve: (specifier, from) => resolveForPage(environment, root, takesPart, specifier, from),
    printed: (code) => printedFor(environment, code),
  };
}

function printedFor(environment: DevEnvironment, code: ModuleCode): Promise<ModuleCode> {
  return isComponent(code.file) ? Promise.resolve(servedComponent(environment, code)) : servedCode(environment, code);
}

/** Windows find the pages under the name of their project. */
async function register(
  session: LiveSession,
  root: string,
  name: string | undefined,
  warn: (text: string) => void,
): Promise<RegisteredTarget | undefined> {
  try {
    return await registerTarget({
      session,
      name: name === undefined ? freeName(root) : checkName(name),
      pid: process.pid,
      root,
      entry: root,
    });
  } catch (error) {
    if (!(error instanceof AnvilError)) throw error;
    warn(`${error.code}  ${error.message} The pages are patched, and cannot be joined.`);
    return undefined;
  }
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
