/**
 * A small program that a fresh thread runs before it is needed, so that the
 * runtime's own functions are compiled when the pad comes. It prints nothing,
 * touches nothing, and its record is thrown away.
 */
import type { ModuleCode } from '../wire/modules.js';
import type { Files, Language } from './host.js';
import { Linker } from './linker.js';
import type { SessionParts } from './options.js';

const FILE = '/usher-anvil/rehearsal.ts';

const TEXT = `
interface Barge { name: string; draft: number; cargo: { kind: string; tonnes: number }[] }
const rates: Record<string, number> = { slate: 0.65, timber: 0.5 };
const fleet: Barge[] = [{ name: 'Heron', draft: 1.4, cargo: [{ kind: 'slate', tonnes: 12 }] }, { name: 'Otter', draft: 0.9, cargo: [] }];
class Toll { sum: number; by = new Map([['a', 1]]); constructor(sum: number) { this.sum = sum; } get half() { return this.sum / 2; } }
export function tollFor(barge: Barge, night = false): number {
  let sum = 0;
  for (const { kind, tonnes } of barge.cargo) sum += tonnes * (rates[kind] ?? 1);
  if (night && sum > 3) sum *= 1.5;
  try { if (sum < 0) throw new RangeError('below zero'); } catch (error) { sum = 0; }
  return barge.draft > 1 ? sum : sum / 2;
}
const tolls = fleet.map((barge) => new Toll(tollFor(barge, true)));
tolls.length;
const text = tolls.map((toll) => \`\${toll.half}\`).join(', ');
throw new Error(text);
`;

/** The compiled rehearsal. */
export function rehearsalModules(files: Files, language: Language): ModuleCode[] {
  const linker = stage(files, language);
  linker.overlay.set(FILE, TEXT);
  return linker.link(FILE).modules;
}

function stage(files: Files, language: Language): Linker {
  return new Linker(
    {
      read: (file) => files.read(file),
      resolve: () => ({ kind: 'missing', message: '' }),
      packageType: () => 'module',
      settings: () => undefined,
      scriptNames: () => [],
      beside: (_file, name) => name,
      stamp: () => '',
      nameOf: (file) => `file://${file}`,
    },
    language,
  );
}

/** Rounds after which the pipeline on the session's side runs about as fast as it will. */
const ROUNDS = 200;
/** Milliseconds after an edit in which nothing is rehearsed: another keystroke may follow. */
const QUIET_MS = 120;

/**
 * Links a text of about ninety lines again and again, one short step at a time
 * and only while nobody waits for anything: the engine then optimises the
 * pipeline before the tenth keystroke and not at the two hundredth.
 *
 * @param sinceEdit milliseconds since the last edit, 0 while something runs
 * @returns ends it
 */
function rehearseLinking(
  files: Files,
  language: Language,
  after: (ms: number, callback: () => void) => () => void,
  sinceEdit: () => number,
): () => void {
  const part = TEXT.replace('export ', '').replace(/^throw .*$/m, '');
  let rounds = 0;
  let cancel: () => void = () => undefined;
  const step = (): void => {
    if (rounds >= ROUNDS) return;
    if (sinceEdit() >= QUIET_MS) {
      rounds++;
      // Always another text, as an edit gives; never what was linked before.
      const linker = stage(files, language);
      linker.overlay.set(
        FILE,
        Array.from({ length: 4 }, (_, i) => `function part${i}() {${part}}`).join('\n') +
          `\nconst round = ${rounds};\n`,
      );
      linker.link(FILE);
    }
    cancel = after(4, step);
  };
  cancel = after(60, step);
  return () => cancel();
}

/** Milliseconds after opening a pad that waits, after which what will run it gets ready. */
const READY_MS = 400;

/**
 * Rehearses linking; of a pad that waits for a command also what will run it, so that its first run is no slower than
 * the next.
 *
 * @returns ends it
 */
export function rehearse(
  { clock, files, language }: Pick<SessionParts, 'clock' | 'files' | 'language'>,
  of: { run(): { over: boolean; startedAt: number } | undefined; getReady(): void },
): () => void {
  const idle = clock.whenIdle ?? ((ms: number, callback: () => void) => clock.after(ms, callback));
  const end = rehearseLinking(files, language, idle, () => {
    const run = of.run();
    return run?.over === false ? 0 : clock.now() - (run?.startedAt ?? 0);
  });
  const endReady = idle(READY_MS, () => {
    if (!of.run()) of.getReady();
  });
  return () => {
    end();
    endReady();
  };
}
