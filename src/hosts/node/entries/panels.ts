/** Panels of a project: what they see of a library stands among the pieces of a request. */
import { createRequire } from 'node:module';
import { pathToFileURL } from 'node:url';
import type { EntryTaker } from '../../../runtime/entries/engine.js';

/** What a panel tells of a query: called before it is sent, its result when it is answered. */
export type Exchange = (text: string) => { end(end: { failed?: boolean; answer?: unknown }): void };

/** The default export of a panel; see `docs/panels.md`. */
export interface EntriesPanel {
  /** The library that it watches, as the program imports it; without one, `watch` is called with nothing. */
  library?: string;
  /** Called in the program when somebody watches; gives what takes it back. */
  watch(library: unknown, exchange: Exchange): unknown;
}

/** Characters of an answer that are told. */
const MOST_ANSWER = 4_000;

/**
 * Begins the panels of these files; the result ends them.
 *
 * @param warn told of one that cannot be begun
 */
export function beginPanels(files: readonly string[], taker: EntryTaker, warn: (why: string) => void): () => void {
  const ends: (() => void)[] = [];
  let isOver = false;
  for (const file of files)
    void begin(file, taker).then(
      (end) => {
        if (typeof end !== 'function') return;
        if (isOver) (end as () => void)();
        else ends.push(end as () => void);
      },
      (error: unknown) =>
        warn(`the panel ${file} is not there: ${error instanceof Error ? error.message : String(error)}`),
    );
  return () => {
    isOver = true;
    for (const end of ends.reverse()) end();
  };
}

async function begin(file: string, taker: EntryTaker): Promise<unknown> {
  const { default: panel } = (await import(pathToFileURL(file).href)) as { default?: Partial<EntriesPanel> };
  if (typeof panel?.watch !== 'function') throw new TypeError('its default export has no function watch');
  const { library } = panel;
  const loaded =
    typeof library === 'string'
      ? ((await import(pathToFileURL(createRequire(file).resolve(library)).href)) as unknown)
      : undefined;
  return (panel as EntriesPanel).watch(loaded, (text) => {
    const note = taker.exchange('query', text);
    return {
      end: ({ failed = false, answer }) => {
        const told = answer === undefined ? undefined : answerText(answer);
        note?.end({
          failed,
          ...(told === undefined ? {} : { answer: told.slice(0, MOST_ANSWER) }),
          ...(told !== undefined && told.length > MOST_ANSWER ? { isCut: true } : {}),
        });
      },
    };
  });
}

function answerText(answer: unknown): string {
  if (typeof answer === 'string') return answer;
  try {
    return JSON.stringify(answer, (_key, value: unknown) => (typeof value === 'bigint' ? String(value) : value)) ?? '';
  } catch {
    return String(answer);
  }
}
