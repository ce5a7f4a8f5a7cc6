/** What the start page lists. */
import type { StartMessage } from '../protocol-files.js';
import { targets } from '../targets.js';
import type { Workbench } from '../workbench/state.js';
import { examples } from './examples.js';
import { templatesFor } from './templates.js';

export function startMessage({ folder, documents }: Workbench): StartMessage {
  const ran = folder.recent.list((file) => documents.isKept(file));
  const files = new Set(ran.map((one) => one.file));
  const others = documents.untitledIn(folder.root).filter((file) => !files.has(file));
  const left = others.map((file) => ({ file, outcome: 'not saved', bad: false, at: 0 }));
  return {
    type: 'start',
    templates: templatesFor(folder.root).map(({ name, sentence, own }) => ({ name, sentence, own })),
    recent: [...ran, ...left].map(({ file, outcome, bad, at }) => {
      const untitled = documents.isUntitled(file);
      return { file: folder.nameOf(file), outcome, bad, at, untitled };
    }),
    programs: liveTargets().map(({ name, since, entry }) => ({ name, since, file: entry })),
    examples: examples().map(({ name, title, sentence, picture }) => ({ name, title, sentence, picture })),
  };
}

/** A folder of programs that cannot be read has none to show. */
function liveTargets(): ReturnType<typeof targets> {
  try {
    return targets();
  } catch {
    return [];
  }
}
