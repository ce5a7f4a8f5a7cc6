/** Components: code that other plugins make of what a person wrote. It is instrumented as it comes out of them. */
import type { DevEnvironment, Environment, EnvironmentModuleNode, Plugin } from 'vite';
import { NodeFiles } from '../hosts/node/files.js';
import { writtenBehind } from '../instrument/source-map.js';
import { LineTable } from '../syntax/positions.js';
import type { Written } from '../syntax/written.js';
import type { ModuleCode } from '../wire/modules.js';

/** Files that other plugins make code of. */
const COMPONENT = /\.(?:[jt]sx|vue|svelte|svelte\.[jt]s)$/;

export const isComponent = (file: string): boolean => COMPONENT.test(file);

/** Versions of a file of which is known what they were made of. */
const MOST_VERSIONS = 10;

/** The project's files, with the code that was made of some. */
export class MadeFiles extends NodeFiles {
  private readonly versions = new Map<string, Written[]>();

  take(file: string, code: string, map: string): void {
    const list = this.versions.get(file)?.filter((one) => one.code !== code) ?? [];
    const written = writtenBehind(code, map, file, () => this.read(file));
    this.versions.set(file, [...list.slice(1 - MOST_VERSIONS), written]);
  }

  written(file: string, text: string): Written | undefined {
    return this.versions.get(file)?.find((one) => one.code === text);
  }
}

/**
 * A module as it is served in the end: the server puts lines above it and writes its imports anew, and leaves every
 * other place where it is on its line.
 */
export function servedComponent(environment: DevEnvironment | undefined, code: ModuleCode): ModuleCode {
  const ours = new LineTable(code.code);
  for (const { transformResult } of environment?.moduleGraph.getModulesByFile(code.file) ?? []) {
    if (!transformResult) continue;
    const served = new LineTable(transformResult.code);
    const above = linesAbove(ours, served);
    if (above === undefined) continue;
    const generated = code.generated.map((at) => {
      const { line, character } = ours.positionAt(at);
      return served.offsetAt({ line: line + above, character });
    });
    return { ...code, generated, code: transformResult.code };
  }
  return code;
}

/** How many lines stand above; undefined where it is another text. */
function linesAbove(ours: LineTable, served: LineTable): number | undefined {
  const last = ours.lineCount - 1;
  for (let above = 0; above <= Math.max(0, served.lineCount - ours.lineCount); above++) {
    let same = 0;
    for (let line = last; line >= 0 && last - line < 20; line--)
      if (ours.line(line) === served.line(line + above)) same++;
    if (same >= Math.min(20, ours.lineCount) * 0.6) return above;
  }
  return undefined;
}

/** Plugins whose refresh keeps what a component holds when its module is executed again as it is. */
const KEEPS_STATE = /^(?:vite:react|vite:preact|preact:|prefresh)/;

export const keepsState = (plugins: readonly { name: string }[]): boolean =>
  plugins.some(({ name }) => KEEPS_STATE.test(name));

/**
 * Draws components again that use a module which was patched in place: nothing else would tell them.
 *
 * @param keeps their library keeps their state when it is done
 * @returns what is to be said of it; empty where no component uses the module
 */
export function drawAgain(environment: DevEnvironment, file: string, keeps: boolean): string {
  const found = new Set<EnvironmentModuleNode>();
  const seen = new Set<EnvironmentModuleNode>();
  const climb = (node: EnvironmentModuleNode): void => {
    if (seen.has(node)) return;
    seen.add(node);
    if (node.file !== null && node.file !== file && isComponent(node.file)) found.add(node);
    else node.importers.forEach(climb);
  };
  environment.moduleGraph.getModulesByFile(file)?.forEach(climb);
  if (found.size === 0) return '';
  if (!keeps) return ' · components show it when they are drawn next';
  const drawn = [...found].filter((node) => node.isSelfAccepting);
  for (const node of drawn) void environment.reloadModule(node);
  return drawn.length > 0
    ? ` · ${drawn.length === 1 ? 'one component' : `${drawn.length} components`} drawn again`
    : '';
}

/** What a server knows of its files. */
export interface ComponentFiles {
  readonly files: MadeFiles;
  /** True for files that take part. */
  isOwn(file: string): boolean;
  /** Pages may have loaded it. */
  isKnown(file: string): boolean;
  /** The server's side executes it. */
  renders(file: string): boolean;
  /** Instruments a module for an environment; undefined where it does not take part there. */
  serve(file: string, code: string, where: Environment): { code: string; map: never } | undefined;
  say(file: string, text: string): void;
}

/** Comes behind all plugins of the project: what a component has become is instrumented, and its own refresh goes on. */
export function componentsPlugin(server: ComponentFiles): Plugin {
  return {
    name: 'usher-anvil:components',
    apply: 'serve',
    enforce: 'post',
    transform(code, id) {
      if (id.includes('?') || !isComponent(id) || !server.isOwn(id)) return undefined;
      server.files.take(id, code, JSON.stringify(this.getCombinedSourcemap()));
      return server.serve(id, code, this.environment);
    },
    hotUpdate({ file, type, modules }) {
      if (this.environment.name !== 'client' || type !== 'update' || !isComponent(file)) return;
      const rendered = server.renders(file) ? 'the server executes it anew with the next request' : '';
      const refreshed = !server.isKnown(file)
        ? ''
        : modules.some((one) => one.isSelfAccepting)
          ? 'handed to the refresh of its library: state stays where that keeps it'
          : 'taken by the server’s own update';
      const text = [refreshed, rendered].filter((part) => part !== '').join(' · ');
      if (text !== '') server.say(file, text);
    },
  };
}
