/** A development server with its pages and its own side: one live program. */
import { relative, sep } from 'node:path';
import type { DevEnvironment, Environment, HotUpdateOptions, ResolvedConfig, ViteDevServer } from 'vite';
import { projectAround } from '../hosts/node/project/around.js';
import { requestMaker } from '../hosts/node/entries/asking.js';
import { nodeLanguage } from '../hosts/node/language.js';
import { Saves } from '../hosts/node/saved-files.js';
import { mapOf } from '../instrument/source-map.js';
import { registerTarget, type RegisteredTarget } from '../server/register-target.js';
import { checkName, freeName } from '../server/targets.js';
import { LiveSession } from '../session/live/session.js';
import type { LiveEvent } from '../session/live/events.js';
import { AnvilError } from '../syntax/problems.js';
import type { ModuleCode } from '../wire/modules.js';
import { drawAgain, isComponent, keepsState, MadeFiles, servedComponent, type ComponentFiles } from './components.js';
import { saidOfSave } from './other-saves.js';
import type { PageServer } from './page-guest.js';
import { PAGE } from './page-text.js';
import { pageRequests } from './page-requests.js';
import { Pages } from './pages.js';
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

export class DevelopmentServer implements ComponentFiles {
  readonly files = new MadeFiles();
  private readonly session = new LiveSession('', {
    files: this.files,
    language: nodeLanguage,
    requests: requestMaker,
  });
  private readonly saves = new Saves((files) => void this.session.changed(files));
  /** Files that pages may have loaded. */
  private readonly known = new Set<string>();
  private root = '';
  /** The folder of the whole project: packages beside that of the pages are linked, and take part. */
  private project = '';
  private server: ViteDevServer | undefined;
  private serverSide: ServerSide | undefined;
  private registered: RegisteredTarget | undefined;
  /** The project has the plugin itself. */
  private gaveWay = false;
  private keeps = false;

  constructor(private readonly options: UsherAnvilOptions) {
    this.session.onEvent((event) => this.tell(event));
  }

  configure({ plugins, root }: ResolvedConfig): void {
    const same = plugins.filter(({ name }) => name === 'usher-anvil');
    if (this.options.added && same.length > 1) this.gaveWay = true;
    this.keeps = keepsState(plugins);
    this.root = root;
    this.project = projectAround(root);
    this.session.file = root;
  }

  async begin(server: ViteDevServer): Promise<void> {
    if (this.gaveWay) return;
    this.server = server;
    const { session, options } = this;
    const { client } = server.environments;
    const warn = (text: string): void => server.config.logger.warn(text);
    // Only this machine's own address: the workbench frames no other.
    const site = (): string | undefined => server.resolvedUrls?.local[0];
    const join = async (): Promise<void> => {
      if (options.name !== false) this.registered = await register(session, this.root, options.name, site, warn);
    };
    // Frameworks begin further servers, to read their settings with: those are seen once they execute something.
    const isHelper = server.config.server.hmr === false && server.config.server.middlewareMode !== false;
    let joined = isHelper ? undefined : join();
    const refresh = (): void => {
      joined ??= join();
      this.registered?.refresh();
    };
    const takesPart = (file: string): boolean => this.takesPart(file);
    const pages = new Pages({ session, server: pageServer(client, this.root, takesPart), warn, refresh });
    pages.serve(client.hot);
    server.middlewares.use(pageRequests(pages, session));
    this.serverSide = new ServerSide({ session, takesPart, printed: printedFor, refresh, warn });
    this.serverSide.serve(server);
    await joined;
    const leave = async (): Promise<void> => {
      await joined;
      await this.registered?.leave('the server has ended');
    };
    server.httpServer?.once('close', () => void leave());
    const close = server.close.bind(server);
    server.close = async () => {
      this.serverSide?.leave();
      await leave();
      await close();
    };
  }

  isOwn(file: string): boolean {
    if (this.gaveWay || file.includes(`${sep}node_modules${sep}`)) return false;
    return this.options.include ? this.options.include(file) : file.startsWith(`${this.project}${sep}`);
  }

  /** True for files that are instrumented as a person wrote them. */
  takesPart(file: string): boolean {
    return /\.(?:[cm]?js|m?ts)$/.test(file) && !isComponent(file) && this.isOwn(file);
  }

  isKnown(file: string): boolean {
    return this.known.has(file);
  }

  renders(file: string): boolean {
    return this.serverSide?.has(file) ?? false;
  }

  /** Instruments a module for where it is executed; in a page it imports the page's side first. */
  serve(file: string, code: string, where: Environment): { code: string; map: never } | undefined {
    const { serverSide } = this;
    const isPage = where.name === 'client';
    if (!isPage && (!serverSide || where.config.consumer !== 'server')) return undefined;
    // What cannot be parsed is said by the server, in the page.
    const served = this.session.serve(file, code, isPage ? undefined : serverSide!.symbol);
    if (served?.format !== 'module') return undefined;
    if (isPage) this.known.add(file);
    else serverSide!.begin();
    const map = mapOf(served.compiled, code) as never;
    return { code: isPage ? `import ${JSON.stringify(PAGE)};${served.code}` : served.code, map };
  }

  /** A file was saved. Gives no modules where the server's own update is to leave them alone. */
  saved(environment: string, { file, type, modules }: HotUpdateOptions): [] | undefined {
    const isPage = environment === 'client';
    if (type !== 'delete' && this.session.data.has(file)) {
      this.saves.notice(file);
      return [];
    }
    if (this.takesPart(file) && (isPage ? this.isKnown(file) : this.renders(file))) {
      // Gone for a moment, as many editors do: it comes back.
      if (type !== 'delete') this.saves.notice(file);
      return [];
    }
    const isSaid = isPage && type === 'update' && !this.takesPart(file) && !isComponent(file);
    const said = isSaid ? saidOfSave(file, modules) : '';
    if (said !== '') this.say(file, said);
    return undefined;
  }

  say(file: string, text: string, details: readonly string[] = []): void {
    const line = `${relative(this.root, file)}  ${text}`;
    if (this.options.log) this.options.log(line, details);
    else this.server?.config.logger.info([line, ...details.map((detail) => `    ${detail}`)].join('\n'));
  }

  private tell({ kind, file, text, details, typed }: LiveEvent): void {
    // What a person is in the middle of typing is answered in the window where it is typed.
    if (typed && kind === 'refused') return;
    if (kind === 'patched') this.serverSide?.patched(file);
    const client = this.server?.environments.client;
    const seen = kind === 'patched' && client ? drawAgain(client, file, this.keeps) : '';
    this.say(file || this.root, `${text}${seen}`, details);
  }
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
  site: () => string | undefined,
  warn: (text: string) => void,
): Promise<RegisteredTarget | undefined> {
  try {
    return await registerTarget({
      session,
      name: name === undefined ? freeName(root) : checkName(name),
      pid: process.pid,
      root,
      entry: root,
      site,
    });
  } catch (error) {
    if (!(error instanceof AnvilError)) throw error;
    warn(`${error.code}  ${error.message} The pages are patched, and cannot be joined.`);
    return undefined;
  }
}
