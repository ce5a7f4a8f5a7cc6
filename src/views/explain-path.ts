/** The way to an error: calls in order, with those of libraries folded. */
import type { Frame } from '../record/record.js';

/** A place on the way to an error; or, folded, frames of a library. */
export type Step = { frame: Frame; times?: number } | { folded: number; of: string };

/** Frames with those of libraries folded between the person's own; none behind the last of them. */
export function stepsOf(frames: readonly Frame[]): Step[] {
  const steps: Step[] = [];
  let last = -1;
  frames.forEach((frame, index) => {
    if (frame.local) last = index;
  });
  for (let i = 0; i <= last; i++) {
    const frame = frames[i]!;
    const previous = steps[steps.length - 1];
    if (frame.local) {
      // A function that calls itself stands there once.
      if (previous && 'frame' in previous && isSame(previous.frame, frame)) previous.times = (previous.times ?? 1) + 1;
      else steps.push({ frame });
      continue;
    }
    const of = libraryOf(frame.file);
    if (previous && 'folded' in previous && previous.of === of) previous.folded++;
    else steps.push({ folded: 1, of });
  }
  return steps;
}

function isSame(a: Frame, b: Frame): boolean {
  return (
    a.file === b.file &&
    a.name === b.name &&
    a.range.start.line === b.range.start.line &&
    a.range.start.character === b.range.start.character
  );
}

function libraryOf(file: string): string {
  const at = file.lastIndexOf('/node_modules/');
  if (at < 0) return file.startsWith('node:') || file === '' ? 'the platform' : file.slice(file.lastIndexOf('/') + 1);
  const parts = file.slice(at + 14).split('/');
  return parts[0]!.startsWith('@') ? `${parts[0]}/${parts[1] ?? ''}` : parts[0]!;
}
