/** Is a function of a live program slower than it was? Both texts are timed as plain code, with what it was called with. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { compareWays } from '../../hosts/node/comparing/compare.js';
import { textsAt } from '../../hosts/node/comparing/revision.js';
import { readText } from '../../hosts/node/files.js';
import type { FunctionInfo, Outline } from '../../syntax/outline.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { AnvilError } from '../../syntax/problems.js';
import { comparisonLines, PLAIN_COMPARISON } from '../../views/comparison-text.js';
import type { ToServer } from '../protocol.js';
import type { Workbench } from './state.js';
import { calledWith } from './trying.js';
import type { Viewer } from './viewer.js';

/** Milliseconds that the times may take. */
const FOR_MS = 45_000;
/** Calls whose arguments are taken. */
const MOST_CALLS = 12;
/** The name under which a function is called that its module does not export. */
const OWN_NAME = 'usherAnvilWay';

/**
 * Compares a function with what it was when its entry point was picked; where nothing has changed since, with the last
 * commit.
 *
 * @throws AnvilError `E_COMPARE` where that cannot be done
 */
export async function compareWithBefore(
  workbench: Workbench,
  { window }: Viewer,
  { file, name }: Extract<ToServer, { type: 'slower' }>,
): Promise<void> {
  const path = workbench.pathOf(file);
  const { live } = workbench;
  const record = live?.session.entries.current?.record;
  const now = live?.session.runningText(path);
  if (path === live?.session.file)
    throw new AnvilError(
      'E_COMPARE',
      `${file} begins the program: to compare a function of it would begin it again. Move it into a file of its own.`,
    );
  if (!live || !record || now === undefined) throw new AnvilError('E_COMPARE', 'Pick what comes in first.');
  const tell = (lines: string[], isOver: boolean): void => window.send({ type: 'compared', file, name, lines, isOver });
  tell([`${name} is compared with what it was …`], false);
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-slower-'));
  try {
    const outline = outlineOfText(now, path);
    const found = outline && topFunction(outline, name);
    const called = found ? await calledWith(workbench, record, path, found, MOST_CALLS) : [];
    const calls = [...new Set(called.map((codes) => `[${codes.join(', ')}]`))];
    if (calls.length === 0)
      throw new AnvilError('E_COMPARE', `What ${name} was called with cannot be written as code: compare it in a pad.`);
    const before = beforeOf(workbench, path, now);
    const call = join(folder, 'call.mjs');
    const width = found!.node.params.length as number;
    writeFileSync(call, callingText(path, calls, width));
    const texts = (of: (one: string) => string | undefined) => (one: string) => {
      const text = of(one);
      return one === path ? `${text ?? now}\nexport { ${name} as ${OWN_NAME} };\n` : text;
    };
    const comparison = await compareWays({
      baseline: { file: call, export: 'way', name: `${name} ${before.name}`, texts: texts(before.texts) },
      candidate: {
        ...{ file: call, export: 'way', name: `${name} now` },
        texts: texts((one) => (one === call ? undefined : live.session.runningText(one))),
      },
      forMs: FOR_MS,
      cwd: dirname(path),
      progress: (_what, timing) =>
        tell(
          [
            `${name} is compared with what it was${timing ? `: ${timing.pairs} of at least 10 pairs of processes` : ''} …`,
          ],
          false,
        ),
    });
    tell(comparisonLines(comparison, PLAIN_COMPARISON), true);
  } catch (error) {
    const why = error instanceof AnvilError ? error.message : String(error);
    tell([why.replaceAll(folder, '')], true);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function beforeOf(
  { live }: Workbench,
  path: string,
  now: string,
): { name: string; texts: (file: string) => string | undefined } {
  const { entries } = live!.session;
  const isChanged = live!.session.files.some((file) => {
    const before = entries.textBefore(file);
    return before !== undefined && before !== live!.session.runningText(file);
  });
  if (isChanged) return { name: 'before', texts: (file) => entries.textBefore(file) };
  let texts: ReturnType<typeof textsAt>;
  try {
    texts = textsAt(path, 'HEAD');
  } catch (error) {
    throw new AnvilError('E_COMPARE', `Nothing has changed since it was picked, and ${(error as Error).message}.`);
  }
  const committed = texts(path);
  if (committed === now && readText(path) === now)
    throw new AnvilError('E_COMPARE', 'Nothing has changed since it was picked, nor since the last commit.');
  return { name: 'as of HEAD', texts };
}

/** A function with a name at the top level: what is inside of another one cannot be called alone. */
function topFunction({ functions }: Outline, name: string): FunctionInfo {
  const found = functions.find((one) => one.path === name && one.parent < 0 && one.owner < 0);
  if (!found || !/^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(name))
    throw new AnvilError(
      'E_COMPARE',
      `${name} is no function at the top level of its file: only those can be called alone.`,
    );
  return found;
}

/** A module that calls it with what one call was given. */
function callingText(path: string, calls: readonly string[], width: number): string {
  const given = Array.from({ length: width }, (_, i) => `given[${i}]`).join(', ');
  return `import { ${OWN_NAME} } from ${JSON.stringify(path)};
const calls = [${calls.map((code) => `() => (${code})`).join(', ')}];
export const way = (given) => ${OWN_NAME}(${given});
export const data = () => calls[0]();
export const inputs = calls.map((call) => call());
`;
}
