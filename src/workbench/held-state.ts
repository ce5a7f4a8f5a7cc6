/** What a window shows of held calls and of what stands still. */
import type { HeldFrame, HeldMessage } from '../server/protocol-held.js';
import type { WalkStop } from '../server/protocol.js';

/** A frame whose values stand at the lines: `id` of a held call, or the number of a pause. */
export interface ShownFrame {
  of: 'call' | 'standing';
  where: string;
  id: number;
  /** From the innermost out. */
  number: number;
}

/** What of a window's state this is. */
export interface HeldShown {
  held: HeldMessage | undefined;
  frame: ShownFrame | undefined;
}

/** What has just come to be held, or to stand still, shows its values at its lines; what went on shows none. */
export function heldChange(
  { held: before, frame }: HeldShown,
  message: HeldMessage,
): HeldShown & { tab?: 'held'; dock?: 'open' } {
  const call = message.calls.find(({ id }) => !before?.calls.some((one) => one.id === id));
  const standing = message.standing.find(
    ({ where, number }) => !before?.standing.some((one) => one.where === where && one.number === number),
  );
  const stays = frame !== undefined && framesOf(message, frame) !== undefined;
  let shown = stays ? frame : undefined;
  if (standing) shown = { of: 'standing', where: standing.where, id: standing.number, number: 0 };
  else if (call && !stays) shown = { of: 'call', where: call.where, id: call.id, number: 0 };
  const isNew = before !== undefined && (call !== undefined || standing !== undefined);
  return { held: message, frame: shown, ...(isNew ? { tab: 'held', dock: 'open' } : {}) };
}

/** The frames of what a frame is of; undefined where that went on. */
export function framesOf({ calls, standing }: HeldMessage, { of, where, id }: ShownFrame): HeldFrame[] | undefined {
  return of === 'call'
    ? calls.find((one) => one.id === id)?.frames
    : standing.find((one) => one.where === where && one.number === id)?.frames;
}

/** The shown frame as a place with variables, as the code shows them. */
export function frameInCode({ held, frame }: HeldShown): WalkStop | null {
  if (!held || !frame) return null;
  const frames = framesOf(held, frame);
  const shown = frames?.[frame.number];
  if (!frames || !shown?.at) return null;
  const { at } = shown;
  return {
    ...{ step: 1, total: 1, run: 0, trail: [], unreached: [], sources: [] },
    at: { file: at.file, line: at.line, character: 0 },
    frames: [],
    variables: shown.variables.map(({ name, text }) => ({ name, text, changed: false, own: true, at })),
  } as unknown as WalkStop;
}
