/**
 * `usher-anvil/vite`: patches the page of a development server at every save,
 * so that what runs in it goes on with its state. The page is loaded anew only
 * where a change cannot be made in place, and says why.
 */
import { readFileSync } from 'node:fs';
import { relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { buildSync } from 'esbuild';
import type { DevEnvironment, EnvironmentModuleNode, Plugin, ViteDevServer } from 'vite';
import { compile, mapOf } from '../../instrument/compile.js';
import { liveModule, planChanges, planText, presentLine, rootsOf, type LiveModule, type Plan } from '../../patch/plan.js';
import { outlineOf, type Outline } from '../../syntax/outline.js';
import { parse } from '../../syntax/parse.js';
import { LineTable } from '../../syntax/positions.js';
import type { PageAnswer, PageChange, PageError } from '../browser/page.js';
import { NodeFiles } from '../node/files.js';
import { nodeTranslator } from '../node/translate.js';
import { patchName } from '../../runtime/stacks.js';

export interface UsherAnvilOptions {
  /** Files that take part; by default all scripts of the project outside of `node_modules`. */
  include?: (file: string) => boolean;
  /** Where the line that each save is answered by goes; by default the server's own log. */
  log?: (line: string, details: readonly string[]) => void;
}

/** Address of the page's side, which every instrumented module imports first. */
const PAGE = '/@usher-anvil/page';
/** Milliseconds after which a page that does not answer is given up. */
const SILENT_MS = 5_000;
/** Milliseconds in which several saved files are taken as one change. */
const TOGETHER_MS = 8;
/** When a file that was saved is looked at again. */
const AGAIN_MS = [80, 400];
/** For how long a file is empty that is meant to be. */
const EMPTY_MS = 250;

interface Page {
  id: string;
  client: { send(event: string, data?: unknown): void };
  modules: Map<string, LiveModule>;
  before: Map<string, LiveModule>[];
}

type Send = Page['client'];

export default function usherAnvil(options: UsherAnvilOptions = {}): Plugin {
  const files = new NodeFiles();
  /** Every version of a file that a page may have loaded. */
  const versions = new Map<string, Outline[]>();
  const pages = new Map<string, Page>();
  const asks = new Map<number, (answer: PageAnswer | undefined) => void>();
  let ask = 0;
  let root = '';
  let server: ViteDevServer | undefined;
  let environment: DevEnvironment | undefined;
  let client: string | undefined;
  const waiting = new Set<string>();
  /** Texts that were taken, by file. */
  const handled = new Map<string, string>();
  const emptySince = new Map<string, number>();
  /** From served code back to the text, by file. */
  const maps = new Map<string, TraceMap>();
  let timer: NodeJS.Timeout | undefined;
  let queue: Promise<void> = Promise.resolve();

  const takesPart = (file: string): boolean =>
    /\.(?:[cm]?js|m?ts)$/.test(file) && !file.includes(`${sep}node_modules${sep}`) && (options.include ? options.include(file) : file.startsWith(root));
  const say = (file: string, text: string, details: readonly string[] = []): void => {
    const line = `${relative(root, file)}  ${text}`;
    if (options.log) options.log(line, details);
    else server?.config.logger.info([line, ...details.map((detail) => `    ${detail}`)].join('\n'));
  };

  function outlineText(file: string, text: string): { outline: Outline } | { details: string[] } {
    const parsed = parse(text, { file, packageType: files.packageType(file) ?? 'module' });
    if (parsed.program === null || parsed.problems.length > 0) {
      const lines = new LineTable(text);
      return { details: parsed.problems.map((problem) => `line ${lines.lineAt(problem.start) + 1}  ${problem.message}`) };
    }
    return { outline: outlineOf(parsed) };
  }

  /** The number of a version; a text that is known keeps its own. */
  function versionOf(outline: Outline): number {
    const { file, text } = outline.parsed;
    let list = versions.get(file);
    if (!list) versions.set(file, (list = []));
    const known = list.findIndex((one) => one.parsed.text === text);
    if (known >= 0) return known;
    list.push(outline);
    return list.length - 1;
  }

  function listen(hot: DevEnvironment['hot']): void {
    hot.on('usher-anvil:loaded', ({ page: id, files: loaded }: { page: string; files: [string, number][] }, from: Send) => {
      let page = pages.get(id);
      if (!page) pages.set(id, (page = { id, client: from, modules: new Map(), before: [] }));
      for (const [file, version] of loaded) {
        const outline = versions.get(file)?.[version];
        if (outline) page.modules.set(file, liveModule(outline, 'module'));
        // The server forgets what it served when the file changes; the page goes on with it.
        for (const module of environment?.moduleGraph.getModulesByFile(file) ?? []) {
          const map = module.transformResult?.map;
          if (map && 'mappings' in map && map.mappings !== '') maps.set(file, new TraceMap(map as never));
        }
      }
    });
    hot.on('usher-anvil:back', ({ page: id }: { page: string }, from: Send) => {
      const page = pages.get(id);
      if (page) page.client = from;
    });
    hot.on('usher-anvil:changed', (answer: PageAnswer) => asks.get(answer.ask)?.(answer));
    hot.on('usher-anvil:undone', ({ page: id }: { page: string }) => {
      const page = pages.get(id);
      const before = page?.before.pop();
      if (page && before) page.modules = before;
      say(root, 'a change did not end, was stopped and is undone; the page goes on with what it had before');
    });
    hot.on('usher-anvil:error', (error: PageError) => {
      const place = placeOf(error.stack, pages.get(error.page));
      const text = error.name === '' ? error.message : `${error.name}: ${error.message}`;
      say(place?.file ?? root, place ? `line ${place.line + 1}  ${text}` : text);
    });
  }

  /** The first frame of a stack that stands in a file of the project, at the line where that is now. */
  function placeOf(stack: string, page: Page | undefined): { file: string; line: number } | undefined {
    const present = (file: string, line: number, name: string): { file: string; line: number } => {
      const module = page?.modules.get(file);
      return { file, line: module ? presentLine(module, line, name) : line };
    };
    for (const frame of stack.split('\n')) {
      const match = /^(?:at )?(?:(.*?) \()?((?:https?:|\/|[A-Za-z]:)[^()\s]*?):(\d+):(\d+)\)?$/.exec(frame.trim());
      if (!match) continue;
      const [, name = '', where, line, column] = match;
      const patch = patchName(where!);
      if (patch) return present(patch.file, patch.lineOf(Number(line) - 1), name);
      if (!/^https?:/.test(where!)) continue;
      const file = environment?.moduleGraph.urlToModuleMap.get(new URL(where!).pathname)?.file;
      if (!file || !takesPart(file)) continue;
      const map = maps.get(file);
      const original = map ? originalPositionFor(map, { line: Number(line), column: Number(column) - 1 }) : undefined;
      return present(file, (original?.line ?? Number(line)) - 1, name);
    }
    return undefined;
  }

  function tell(
    page: Page,
    change: {
      do: 'patch';
      steps: PageChange extends infer T ? (T extends { steps: infer S } ? S : never) : never;
      links: { file: string; name: string; url: string; target?: string }[];
    },
  ): Promise<PageAnswer | undefined> {
    const number = ++ask;
    return new Promise((resolve) => {
      const silent = setTimeout(() => {
        asks.delete(number);
        pages.delete(page.id);
        resolve(undefined);
      }, SILENT_MS);
      asks.set(number, (answer) => {
        clearTimeout(silent);
        asks.delete(number);
        resolve(answer);
      });
      page.client.send('usher-anvil:change', { ...change, ask: number, page: page.id });
    });
  }

  /** Where the page loads a module that is imported only now. */
  async function urlOf(specifier: string, from: string): Promise<{ url: string; target?: string } | undefined> {
    const resolved = await environment?.pluginContainer.resolveId(specifier, from);
    if (!resolved) return undefined;
    const file = resolved.id.split('?')[0]!;
    if (!/^[./]/.test(specifier)) return { url: `/@id/${specifier}` };
    const url = file.startsWith(root) ? `/${relative(root, file).split(sep).join('/')}` : `/@fs/${file.replace(/^\//, '')}`;
    return { url, ...(takesPart(file) ? { target: file } : {}) };
  }

  function notice(file: string): void {
    waiting.add(file);
    clearTimeout(timer);
    timer = setTimeout(() => look([...waiting], true), TOGETHER_MS);
  }

  /** Takes files whose text is another than before. The watcher swallows a second change soon after a first, and editors may empty a file before they write it: both are looked at again. */
  function look(list: readonly string[], again: boolean): void {
    for (const file of list) waiting.delete(file);
    const changed = new Map<string, string>();
    for (const file of list) {
      const text = textOf(file);
      if (text !== '') emptySince.delete(file);
      else if (!emptySince.has(file)) emptySince.set(file, Date.now());
      if (text === undefined || text === handled.get(file)) continue;
      // About to be written, unless it is empty for longer.
      if (text === '' && Date.now() - emptySince.get(file)! < EMPTY_MS) continue;
      handled.set(file, text);
      changed.set(file, text);
    }
    if (changed.size > 0) queue = queue.then(() => take(changed)).catch((error: unknown) => say(list[0]!, `could not be applied: ${(error as Error).message}`));
    if (again) for (const ms of AGAIN_MS) setTimeout(() => look(list, false), ms).unref();
  }

  async function take(changed: ReadonlyMap<string, string>): Promise<void> {
    const outlines: Outline[] = [];
    for (const [file, text] of changed) {
      const made = outlineText(file, text);
      if ('details' in made) {
        say(file, `syntax error${made.details.length === 1 ? '' : 's'}, nothing changed`, made.details);
        return;
      }
      outlines.push(made.outline);
    }
    const told = new Set<string>();
    await Promise.all([...pages.values()].map((page) => change(page, outlines, told)));
  }

  async function change(page: Page, outlines: readonly Outline[], told: Set<string>): Promise<void> {
    const plans: Plan[] = [];
    for (const outline of outlines) {
      const module = page.modules.get(outline.parsed.file);
      if (module && module.outline.parsed.text !== outline.parsed.text) plans.push(planChanges(module, outline, nodeTranslator));
    }
    if (plans.length === 0) return;
    // Several windows of one page are told of once.
    const once = (file: string, text: string, details: readonly string[]): void => {
      const key = `${file}\n${text}`;
      if (told.has(key)) return;
      told.add(key);
      say(file, text, details);
    };
    const cannot = plans.flatMap((plan) => plan.notes.filter((note) => note.kind === 'cannot').map((note) => ({ plan, note })));
    if (cannot.length > 0) {
      const reason = cannot.map(({ note }) => `${note.name}: ${note.reason ?? ''}`).join('; ');
      once(
        cannot[0]!.plan.file,
        'the page is loaded anew',
        cannot.map(({ note }) => `${note.name}: ${note.reason ?? ''}`),
      );
      pages.delete(page.id);
      page.client.send('usher-anvil:reload', { page: page.id, reason });
      return;
    }
    const links: { file: string; name: string; url: string; target?: string }[] = [];
    const steps = plans.flatMap((plan) => plan.steps);
    for (const step of steps) {
      if (step.kind === 'fields') step.roots = [...page.modules.values()].map(rootsOf);
      if (step.kind !== 'link') continue;
      const found = await urlOf(step.specifier, step.file);
      if (!found) {
        once(step.file, `nothing changed: import '${step.specifier}'`, ['it leads nowhere']);
        return;
      }
      links.push({ file: step.file, name: step.name, ...found });
    }
    const answer = steps.length > 0 ? await tell(page, { do: 'patch', steps, links }) : undefined;
    if (steps.length > 0 && !answer) return;
    if (answer?.failed) {
      const step = steps[answer.failed.step];
      const { name, message } = answer.failed;
      once(step?.file ?? plans[0]!.file, step ? `nothing changed: ${step.name} failed` : 'nothing changed', [
        name === '' || name === 'Error' ? message : `${name}: ${message}`,
      ]);
      return;
    }
    if (steps.length > 0) {
      page.before.push(new Map(page.modules));
      if (page.before.length > 100) page.before.shift();
    }
    for (const plan of plans) {
      page.modules.set(plan.file, plan.next);
      const also = [
        ...(answer && answer.objects > 0 ? [`${answer.objects} object${answer.objects === 1 ? '' : 's'} brought along`] : []),
        ...(answer && answer.resumed.length > 0 ? [`${answer.resumed.join(', ')} called again`] : []),
      ];
      once(
        plan.file,
        [planText(plan), ...also].join(' · '),
        plan.notes.filter((note) => note.reason !== undefined).map((note) => `${note.name}: ${note.reason}`),
      );
    }
  }

  return {
    name: 'usher-anvil',
    apply: 'serve',
    enforce: 'pre',
    configResolved(config) {
      root = config.root;
    },
    configureServer(made) {
      server = made;
      environment = made.environments.client;
      listen(environment.hot);
    },
    resolveId(id) {
      return id === PAGE ? PAGE : undefined;
    },
    load(id) {
      if (id !== PAGE) return undefined;
      client ??= buildSync({
        stdin: { contents: `export { startPage } from './page.js';`, resolveDir: fileURLToPath(new URL('../browser', import.meta.url)) },
        bundle: true,
        write: false,
        format: 'esm',
        target: 'es2022',
      }).outputFiles[0]!.text;
      return `${client}\nif (import.meta.hot) startPage({ send: (event, data) => import.meta.hot.send(event, data), on: (event, listener) => import.meta.hot.on(event, listener) });\n`;
    },
    transform(code, id) {
      if (id === PAGE || this.environment?.name !== 'client' || id.includes('?') || !takesPart(id)) return undefined;
      const made = outlineText(id, code);
      if ('details' in made || made.outline.parsed.goal !== 'module') return undefined;
      const version = versionOf(made.outline);
      const compiled = compile(made.outline, { depth: 'off', form: 'module', patchable: true, version, translator: nodeTranslator });
      const map = mapOf(compiled, code);
      return { code: `import ${JSON.stringify(PAGE)};${compiled.code}`, map: map as never };
    },
    hotUpdate: {
      order: 'pre',
      handler({ file, type }: { file: string; type: string; modules: EnvironmentModuleNode[] }) {
        if (this.environment.name !== 'client' || !takesPart(file) || !versions.has(file)) return undefined;
        // Gone for a moment, as many editors do: it comes back.
        if (type === 'delete') return [];
        notice(file);
        // The server's own update leaves these modules alone.
        return [];
      },
    },
  };
}

function textOf(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return undefined;
  }
}
