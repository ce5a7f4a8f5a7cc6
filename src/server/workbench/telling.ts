/** Sends records to windows, each as the window shows it. */
import type { PadRecord } from '../../record/record.js';
import { presentRecord } from './presenters/record.js';
import type { Locate } from './presenters/location.js';
import { presentNumbers, presentShown } from './presenters/shown.js';
import type { LineRange } from '../protocol-record.js';
import type { RunsMessage } from '../protocol.js';
import type { Workbench } from './state.js';
import { partFor, waitFor, type Viewer } from './viewer.js';

/** Sends a record at once, or a little later when much was sent just now. */
export function tellSoon(workbench: Workbench, viewer: Viewer, record: PadRecord): void {
  if (!viewer.file) return;
  tellNumbers(viewer, record);
  clearTimeout(viewer.waiting);
  const { live } = workbench;
  const wait = waitFor(viewer, record, live !== undefined, Date.now());
  if (wait === 0) tell(workbench, viewer, record);
  else viewer.waiting = setTimeout(() => tell(workbench, viewer, live?.record ?? record), wait);
}

/** Sends a record, and what it shows on purpose where that is new. */
export function tell(workbench: Workbench, viewer: Viewer, record: PadRecord): void {
  if (!viewer.file) return;
  viewer.sentAt = Date.now();
  sendRecord(workbench, viewer, viewer.serves ? record : (workbench.live?.recordFor(viewer.file) ?? record));
  // A run that has just begun shows nothing yet: what the last one showed stays until then.
  if (record.target === 'none' || viewer.shown === record.shown || (record.shown.length === 0 && !record.ended)) return;
  viewer.shown = record.shown;
  const nameOf = (path: string): string => workbench.nameOf(path);
  const shown = record.shown.filter((one) => one.kind !== 'note').map((one) => presentShown(one, nameOf));
  viewer.window.send({ type: 'shown', pad: nameOf(record.file), shown });
}

const HELD =
  'This text was open when usher-anvil came to an unexpected end, twice. It is here as it was, and has not been run.';

/** Tells windows when the pad executes, and whether it has. */
export function tellRuns(workbench: Workbench, viewers: Iterable<Viewer> = workbench.viewers): void {
  const { subject, pad } = workbench;
  if (!subject || !pad) return;
  const message: RunsMessage = {
    type: 'runs',
    pad: workbench.nameOf(subject.file),
    when: workbench.habits.of(subject.file).when,
    careful: workbench.habits.of(subject.file).careful ?? 'asks',
    behind: pad.behind,
    ...(workbench.starts.isHeld(subject.file) ? { held: HELD } : {}),
  };
  for (const { window } of viewers) window.send(message);
}

/** The record that a window sees: that of what runs, or of the request whose code it shows. */
export function recordSeen({ subject, live }: Workbench, { serves }: Viewer): PadRecord | undefined {
  return (serves ? live?.session.entries.current?.record : undefined) ?? subject?.record;
}

/** Sends the newest record to all windows. */
export function tellAll(workbench: Workbench): void {
  for (const viewer of workbench.viewers) {
    const record = recordSeen(workbench, viewer);
    if (record) tell(workbench, viewer, record);
  }
}

/** The same record once more, as of another moment. */
export function tellAgain(workbench: Workbench, viewer: Viewer): void {
  const record = viewer.serves ? recordSeen(workbench, viewer) : workbench.subject?.goodRecord;
  if (record && viewer.file) sendRecord(workbench, viewer, record);
}

/** How long a person pauses until all lines of a long text are told, in milliseconds. */
const PAUSE_MS = 1_000;

/** Sends a record: of a long text the lines on the screen first. */
export function sendRecord(workbench: Workbench, viewer: Viewer, record: PadRecord): void {
  clearTimeout(viewer.rest);
  const file = record.program.files.find((one) => one.file === viewer.file);
  const part = file && record.target !== 'none' ? partFor(viewer, file.lines.lineCount) : undefined;
  viewer.part = part && { ...part, record };
  viewer.window.send(messageFor(workbench, viewer, record, part));
  if (part)
    viewer.rest = setTimeout(() => {
      viewer.part = undefined;
      if (workbench.viewers.has(viewer)) viewer.window.send(messageFor(workbench, viewer, record));
    }, PAUSE_MS);
}

/** Sends the numbers of the lines that came since the last time. */
export function tellNumbers(viewer: Viewer, record: PadRecord): void {
  const numbers = viewer.follows && presentNumbers(record, viewer.follows);
  if (numbers) viewer.window.send(numbers);
}

/** The text of a file that a window shows; undefined where nobody has it open. */
export function shownText({ documents }: Workbench, { held }: Viewer, path: string): string | undefined {
  return held?.path === path ? held.text : documents.get(path)?.shared.text;
}

function messageFor(
  workbench: Workbench,
  viewer: Viewer,
  record: PadRecord,
  part?: LineRange,
): ReturnType<typeof presentRecord> {
  const { live, subject, documents, program, types, sizes } = workbench;
  const path = viewer.file!;
  const nameOf = (file: string): string => workbench.nameOf(file);
  const locate: Locate = (file, { line, character }, asIs = false) => {
    const shown = asIs ? undefined : subject?.lineIn(file, shownText(workbench, viewer, file))(line);
    return { file: nameOf(file), line: shown ?? line, character };
  };
  return presentRecord(record, {
    path,
    part,
    asked: viewer.until,
    version: documents.get(path)?.shared.version ?? 0,
    nameOf,
    locate,
    shownLine: subject?.lineIn(path, shownText(workbench, viewer, path)),
    beside: { types: types.problems, sizes },
    data: workbench.pad?.data?.name,
    live: live?.stateOf(path),
    where: program?.session.whereabouts(program.describe().pid),
  });
}
