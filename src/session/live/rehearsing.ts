/** A change that nobody has made, for planning it before the first save. */
import type { LiveModule } from '../../patch/live-module.js';
import type { Outline } from '../../syntax/outline.js';
import type { RunningProgram } from './running.js';

/** @param step another one changes another function */
export function planRehearsal(
  running: RunningProgram,
  step: number,
): { module: LiveModule; outline: Outline } | undefined {
  const largest = running.targets
    .flatMap((state) => [...state.modules.values()])
    .sort((a, b) => b.outline.parsed.text.length - a.outline.parsed.text.length)[0];
  if (!largest) return undefined;
  const { parsed, functions } = largest.outline;
  const bodies = functions.filter(({ node }) => node.body.type === 'BlockStatement');
  const body = bodies[step % Math.max(1, bodies.length)]?.node.body as { end: number } | undefined;
  if (!body) return undefined;
  const at = body.end - 1;
  const outline = running.outlineFor(largest.file, `${parsed.text.slice(0, at)};void 0;${parsed.text.slice(at)}`);
  return outline && { module: largest, outline };
}
