/**
 * A small program that a fresh thread runs before it is needed, so that the
 * runtime's own functions are compiled when the pad comes. It prints nothing,
 * touches nothing, and its record is thrown away.
 */
import type { ModuleCode } from '../runtime/wire.js';
import type { Files, Language } from './host.js';
import { Linker } from './linker.js';

const FILE = '/usher-anvil/rehearsal.ts';

const TEXT = `
interface Barge { name: string; draft: number; cargo: { kind: string; tonnes: number }[] }
const rates: Record<string, number> = { slate: 0.65, timber: 0.5 };
const fleet: Barge[] = [{ name: 'Heron', draft: 1.4, cargo: [{ kind: 'slate', tonnes: 12 }] }, { name: 'Otter', draft: 0.9, cargo: [] }];
class Toll { constructor(readonly sum: number, readonly by = new Map([['a', 1]])) {} get half() { return this.sum / 2; } }
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
  const linker = new Linker(
    {
      ...files,
      read: (file) => files.read(file),
      resolve: () => ({ kind: 'missing', message: '' }),
      packageType: () => 'module',
      nameOf: (file) => `file://${file}`,
    },
    language,
  );
  linker.overlay.set(FILE, TEXT);
  return linker.link(FILE).modules;
}

/** Rounds after which the pipeline on the session's side runs about as fast as it will. */
const ROUNDS = 150;

/**
 * Links the program again and again, a little at a time, while nobody waits
 * for anything: the engine then optimises the pipeline before the tenth
 * keystroke and not at the two hundredth.
 *
 * @param busy true while something else has to be done
 * @returns ends it
 */
export function rehearseLinking(linker: Linker, entry: string, after: (ms: number, callback: () => void) => () => void, busy: () => boolean): () => void {
  let rounds = 0;
  let cancel: () => void = () => undefined;
  const step = (): void => {
    if (rounds >= ROUNDS) return;
    if (!busy()) {
      rounds++;
      try {
        linker.again(entry);
      } catch {
        return;
      }
    }
    cancel = after(10, step);
  };
  cancel = after(300, step);
  return () => cancel();
}
