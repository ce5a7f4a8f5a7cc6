/** A stop of a walk as a window shows it. */
import { valueText } from '../../../runtime/text.js';
import type { PadRecord } from '../../../record/record.js';
import { errorAt } from '../../../record/walk/start.js';
import type { Walk } from '../../../record/walk/walk.js';
import type { WalkStop } from '../../protocol.js';

/** Variables, frames and sources that are told. */
const MOST = { variables: 40, frames: 30, sources: 9 };
const LONGEST = 160;

/**
 * @param trail steps that were left on the way here
 * @param locate where a line is in the text that the window shows
 */
export function walkStop(
  record: PadRecord,
  run: Walk,
  at: number,
  trail: readonly number[],
  locate: (file: string, line: number) => { file: string; line: number },
): Omit<WalkStop, 'run'> {
  const { file, range, frame } = run.step(at);
  const place = (one: { file: string; range: { start: { line: number } } }): { file: string; line: number } =>
    locate(one.file, one.range.start.line);
  const seen = new Set<string>();
  const way = trail.flatMap((step) => {
    const found = place(run.step(step));
    const key = `${found.file} ${found.line}`;
    if (seen.has(key)) return [];
    seen.add(key);
    return [found];
  });
  const error = errorAt(record, run, at);
  const around = frame > 0 ? run.frame(frame) : undefined;
  const unreached = around && around.name !== 'module' ? run.unreached(frame) : [];
  return {
    step: run.numberOf(at),
    total: run.total,
    ...(run.hasMore(1) || run.hasMore(-1) ? { part: true as const } : {}),
    at: { ...locate(file, range.start.line), character: range.start.character },
    frames: run
      .stack(at)
      .slice(0, MOST.frames)
      .map((one, index) => {
        const step = index === 0 ? at : run.standing(one.number, at);
        const name = one.name || 'a function without a name';
        return { number: one.number, name, at: place(step === undefined ? one : run.step(step)) };
      }),
    variables: run
      .variables(at)
      .filter(({ value }) => value.type !== 'function')
      .slice(0, MOST.variables)
      .map(({ name, value, changed, frame: owner, ...one }) => ({
        name,
        text: valueText(value, LONGEST),
        changed,
        own: owner === frame,
        at: place(one),
      })),
    sources: run
      .sources(at)
      .slice(0, MOST.sources)
      .map(({ kind, text, value, step }) => ({
        kind,
        text: text.length > 60 ? `${text.slice(0, 59)}…` : text,
        ...(value ? { value: valueText(value, 60) } : {}),
        ...(step === undefined ? {} : { at: place(run.step(step)) }),
      })),
    trail: way,
    unreached: around ? unreached.map((line) => locate(file, line).line) : [],
    ...(error ? { error: `${error.name}: ${error.message}`.split('\n')[0]! } : {}),
  };
}
