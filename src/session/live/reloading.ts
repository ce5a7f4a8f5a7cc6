/** Executes modules of the program again, with what imports them; state that they carry stays. */
import { liveModule } from '../../patch/live-module.js';
import type { LiveAnswer } from '../../wire/messages.js';
import type { ModuleCode } from '../../wire/modules.js';
import type { LiveHandle } from './events.js';
import { executionOrder, type ModuleGraph } from './module-graph.js';
import type { RunningProgram } from './running.js';

export type Reload =
  | { is: 'refused'; file: string; text: string; details: string[] }
  | { is: 'failed'; answer: LiveAnswer }
  | { is: 'done'; answer: LiveAnswer; files: string[] }
  /** There is no program that could do it. */
  | { is: 'nothing' };

/** The graph of the program's own modules. */
export function graphOf(running: RunningProgram): ModuleGraph {
  return {
    running: running.main.modules,
    next: (file) => running.linker.unit(file).outline,
    localFile: (specifier, from) => running.localFile(specifier, from),
    extensions: running.extensions,
  };
}

/** @param files modules of the program itself */
export async function reloadModules(
  running: RunningProgram,
  handle: LiveHandle | undefined,
  files: readonly string[],
): Promise<Reload> {
  const order = executionOrder(graphOf(running), files);
  if (order.includes(running.file) && !running.extensions.has(running.file)) {
    const text = 'nothing reloaded: the program itself depends on it';
    const details = [
      `${order.length} modules would be executed again, the first of the program among ` +
        'them: restart it, or load the part as an extension',
    ];
    return { is: 'refused', file: files[0]!, text, details };
  }
  const collected = collect(running, order);
  if ('is' in collected) return collected;
  if (!handle) return { is: 'nothing' };
  const { modules } = collected;
  const answer = await handle.change({ do: 'reload', modules, steps: [] });
  if (answer.failed) return { is: 'failed', answer };
  const { main, linker } = running;
  for (const { file } of modules) {
    const { outline } = linker.unit(file);
    if (outline) main.modules.set(file, liveModule(outline));
    main.waiting.delete(file);
    main.resets.delete(file);
  }
  return { is: 'done', answer, files: modules.map((one) => one.file) };
}

/** The code of modules in the order of their execution, new ones before what imports them. */
function collect(running: RunningProgram, order: readonly string[]): { modules: ModuleCode[] } | Reload {
  const { linker, main, refused, own } = running;
  const names = new Set(order);
  const modules: ModuleCode[] = [];
  for (const file of order) {
    const more = linker.link(file);
    const wrong = more.problems[0];
    if (wrong) {
      const line = linker.unit(wrong.file).lines.lineAt(wrong.problem.start);
      refused.refuse(file, linker.unit(file).text);
      const details = [`line ${line + 1}  ${wrong.problem.message}`];
      return { is: 'refused', file: wrong.file, text: 'nothing reloaded', details };
    }
    for (const code of more.modules) {
      const wanted = code.file === file || (!main.modules.has(code.file) && !names.has(code.file));
      if (wanted && !modules.some((one) => one.file === code.file)) modules.push(own.numbered(code));
    }
  }
  return { modules: modules.sort((a, b) => Number(names.has(a.file)) - Number(names.has(b.file))) };
}
