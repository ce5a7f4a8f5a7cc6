/** What a person has selected shows its values, without a change of the text. */
import { historyOf } from '../../record/histories.js';
import type { PadRecord } from '../../record/record.js';
import type { Outline } from '../../syntax/outline.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { LineTable } from '../../syntax/positions.js';
import { selectedMark } from '../../syntax/selection.js';
import type { SelectedMessage } from '../protocol-files.js';
import { presentHistory } from './presenters/values.js';
import { execute } from './running.js';
import type { Workbench } from './state.js';
import { openDocument } from './texts.js';
import { shownText } from './telling.js';
import type { Viewer } from './viewer.js';

interface Range {
  file: string;
  start: number;
  end: number;
}

/** Tells what is known of a selected expression, and has it report from now on. A pad that runs by itself runs again. */
export async function select(workbench: Workbench, viewer: Viewer, ask: number, range: Range): Promise<void> {
  const { subject, pad, live } = workbench;
  const { file } = range;
  const tell = (message: Omit<SelectedMessage, 'type' | 'ask' | 'start' | 'end'>, at = range): void =>
    viewer.window.send({ type: 'selected', ask, start: at.start, end: at.end, ...message });
  if (!subject?.files.includes(file) || range.start === range.end) {
    pad?.select(undefined);
    tell({ is: 'none', why: '' });
    return;
  }
  const text = shownText(workbench, viewer, file) ?? openDocument(workbench, file).shared.text;
  const outline = outlineOfText(text, file);
  const mark = outline && selectedMark(outline, range);
  if (!mark) {
    pad?.select(undefined);
    tell({ is: 'none', why: outline ? 'What is selected is no expression with a value.' : '' });
    return;
  }
  const chosen = { file, start: mark.start, end: mark.end };
  const isTop =
    outline.functions.every((one) => one.start > mark.start || one.end < mark.end) && isPlain(outline, mark.start);
  const top = isTop ? { top: true as const } : {};
  const record = live?.recordFor(file) ?? subject.goodRecord;
  const history = record && historyAt(record, chosen, text, viewer.until);
  pad?.select(chosen);
  if (live) {
    const { line } = new LineTable(text).positionAt(mark.start);
    const opened = await live.session.openFunction(file, line, chosen);
    if (opened === undefined) {
      tell(
        { is: 'none', why: 'This code ran when the program began. Evaluate it, or select inside a function.' },
        chosen,
      );
      return;
    }
  }
  if (history) {
    tell({ is: 'values', why: '', history: presentHistory(history), ...top }, chosen);
    return;
  }
  const runs =
    pad !== undefined && workbench.when === 'edit' && !pad.behind && known(record, file)?.lines.text === text;
  const wasAsked =
    runs &&
    known(record, file)!.sites.some(
      (site) => site.mark?.selected && site.start === chosen.start && site.end === chosen.end,
    );
  if (wasAsked && record!.ended) {
    tell(
      { is: 'none', why: 'The last run has no value of it: it did not come by here, or what it calls threw.' },
      chosen,
    );
    return;
  }
  tell(
    {
      is: 'soon',
      why: live
        ? 'It shows its values from the next call on.'
        : runs
          ? 'Running…'
          : 'It shows its values at the next run.',
      ...top,
    },
    chosen,
  );
  // It has not been asked for in this run yet: one that asked and was never reached has nothing to tell.
  if (runs && !wasAsked) execute(workbench);
}

/** No block is around a place that may bind names of its own. */
function isPlain({ statements }: Outline, offset: number): boolean {
  const statement = statements.find((one) => one.start <= offset && offset <= one.end);
  return (
    statement !== undefined &&
    /^(const|let|var|export|statement)$/.test(statement.kind) &&
    !/^(For|While|Do|Block|Try|If|Switch)/.test(statement.node.type)
  );
}

function known(record: PadRecord | undefined, file: string): PadRecord['program']['files'][number] | undefined {
  return record?.program.files.find((one) => one.file === file);
}

/** The history of exactly this expression, where the text that ran is the one that is shown. */
function historyAt(
  record: PadRecord,
  { file, start, end }: Range,
  text: string,
  until: number,
): ReturnType<typeof historyOf> {
  const found = known(record, file);
  if (found?.lines.text !== text) return undefined;
  const sites = found.sites.filter((site) => site.start === start && site.end === end && site.kind !== 'statement');
  for (const site of [...sites].reverse()) {
    const history = historyOf(record, site.id, file, until);
    if (history && history.length > 0) return history;
  }
  return undefined;
}
