/** A live program behind its door, for the debug adapter. */
import type { DebuggedProgram, ProgramListener } from '../adapter/live/program.js';
import { isAddress } from '../server/joined.js';
import { joinAt } from '../server/program-bench.js';
import { targetNamed } from '../server/targets.js';
import { targetAt } from './target-address.js';

/**
 * Joins a program by its name, or at an address.
 *
 * @throws AnvilError `E_TARGET` where it cannot be reached
 */
export async function joinProgram(
  { name, doorToken }: { name: string; doorToken?: string | undefined },
  listener: ProgramListener,
): Promise<DebuggedProgram> {
  const target = isAddress(name) ? targetAt(name, doorToken) : targetNamed(name);
  const window = await joinAt(target, {
    paused: (event) => listener.paused(event),
    held: (event) => listener.held(event),
    output: (output) => listener.output(output),
    ended: (text) => listener.ended(text.replace(/^the program (?:has )?/, '')),
  });
  await window.ask('listen', { on: true });
  const { entry } = await window.ask('describe', {});
  return {
    name,
    entry,
    places: async () => ['', ...(await window.ask('describe', {})).places.map(({ label }) => label)],
    standing: async () => (await window.ask('held', {})).standing,
    held: async () => (await window.ask('held', {})).calls,
    breakpoints: async () => (await window.ask('held', {})).breakpoints,
    set: (asked) => window.ask('breakpoint', { ...asked, own: true }),
    clear: async (id) => void (await window.ask('clear', { id })),
    watch: (text, frame, where) => window.ask('watch', { text, frame, where, own: true }),
    errors: async (which) => void (await window.ask('errors', { which })),
    pause: (where) => window.ask('pause', { where }),
    go: (going, where) => window.ask('go', { ...going, where }),
    scopes: (frame, where) => window.ask('scopes', { frame, where }),
    evaluate: (text, frame, where) => window.ask('evaluateIn', { text, frame, where }),
    enter: (text, file) => window.ask('evaluate', { text, ...(file === undefined ? {} : { file }) }),
    look: (request) => window.ask('look', { request }),
    leave() {
      // A program of another command is not this one's to end.
      window.close();
      return Promise.resolve();
    },
  };
}
