/** Programs that something else begins anew at a save: the patch came first, and what they held is gone all the same. */
import type { LiveSession } from '../session/live/session.js';

/** Milliseconds in which a program that is begun anew after a save is there again. */
const AGAIN_MS = 3_000;

/**
 * Tells once when what started a program begins it anew at saves.
 *
 * @returns ends it
 */
export function watchRestarts(session: LiveSession, say: (text: string) => void): () => void {
  const timers = new Set<NodeJS.Timeout>();
  let told = false;
  const end = session.onEvent(({ kind, file }) => {
    if (kind !== 'patched' || told) return;
    const before = session.whereIs(file).filter((label) => label.startsWith('process '));
    if (before.length === 0) return;
    const timer = setTimeout(() => {
      timers.delete(timer);
      const now = session.whereIs(file);
      if (told || now.length === 0 || before.some((label) => now.includes(label))) return;
      told = true;
      say(
        'The program was patched, and a moment later begun anew by what started it, which watches files itself: what it ' +
          'held is gone. Start it without that to keep it, as in: usher-anvil live -- node server.js',
      );
    }, AGAIN_MS);
    timer.unref();
    timers.add(timer);
  });
  return () => {
    end();
    for (const timer of timers) clearTimeout(timer);
  };
}
