/** Values as a window shows them: histories of a line, chains of calls, the card beside the pointer. */
import { chainsAt } from '../../../record/chains.js';
import { historiesAt, historyUnder, type History } from '../../../record/histories.js';
import type { Sample } from '../../../record/site-index.js';
import type { PadRecord } from '../../../record/record.js';
import { valueText } from '../../../runtime/text.js';
import { seriesOf } from '../../../views/margin-values.js';
import { allViewsOf } from '../../../views/added.js';
import type { HistoryMessage, StageMessage, ToWindow } from '../../protocol.js';

/** Samples of one site that are sent: the first and the last. */
const MOST_SAMPLES = 200;

/** @param line zero-based, of the text that ran */
export function presentLineValues(
  record: PadRecord,
  at: { line: number; file: string },
  until: number,
): Pick<Extract<ToWindow, { type: 'inspected' }>, 'histories' | 'chains'> {
  return {
    histories: historiesAt(record, at, until)
      .filter((history) => history.kind !== 'stage' && !history.mark?.selected)
      .map(presentHistory),
    chains: chainsAt(record, at, until).map((chain) => ({
      text: `lines ${chain.range.start.line + 1} to ${chain.range.end.line + 1}`,
      stages: chain.stages.map(presentStage),
    })),
  };
}

/** What stands at a place. */
export function presentHover(
  record: PadRecord | undefined,
  at: { line: number; character: number; file: string },
  until: number,
): Omit<Extract<ToWindow, { type: 'hovered' }>, 'type' | 'ask'> {
  const history = record && historyUnder(record, at, until);
  const chain = record && chainsAt(record, at, until)[0];
  const stages = chain?.stages.map(presentStage) ?? [];
  if (!history) return { path: 'it', text: '', detail: '', stages, openable: false, moment: 0, views: [] };
  const last = history.at(history.length - 1);
  const count = (number: number): string => number.toLocaleString('en-US');
  return {
    path: pathOf(history),
    text: `${history.name ? `${history.name}: ` : ''}${valueText(last.value, 1_200)}`,
    detail: history.total > 1 ? `visit ${count(last.visit)} of ${count(history.total)}` : history.kind,
    stages,
    openable: isOpenable(last),
    moment: last.moment,
    views: allViewsOf(last.value).slice(0, 2),
  };
}

export function presentHistory(history: History): HistoryMessage {
  const { length, mark } = history;
  const chosen = firstAndLast(history);
  const series = length > 2 ? seriesOf(history, 240) : undefined;
  const tables = mark?.verb === 'table' ? allViewsOf(history.at(length - 1).value) : undefined;
  return {
    site: history.site,
    name: history.name,
    kind: history.kind,
    visits: history.visits,
    total: history.total,
    ...(mark ? { mark } : {}),
    ...(tables ? { views: tables.filter((view) => view.view === 'table') } : {}),
    samples: chosen.map((sample) => ({
      visit: sample.visit,
      moment: sample.moment,
      text: valueText(sample.value, 2_000),
      openable: isOpenable(sample),
    })),
    omitted: length - chosen.length,
    types: typesOf(history),
    ...(series ? { series } : {}),
    path: pathOf(history),
  };
}

/** Samples whose kind of value is told. */
const MOST_TYPED = 2_000;

function typesOf(history: History): HistoryMessage['types'] {
  const counts = new Map<string, number>();
  for (let i = Math.max(0, history.length - MOST_TYPED); i < history.length; i++) {
    const name = typeOf(history.at(i).value);
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return [...counts].map(([name, count]) => ({ name, count }));
}

/** `number`, `null`, `array`, the name of a class. */
function typeOf({ type, form, class: name }: Sample['value']): string {
  return type === 'object' ? (name ?? form ?? type) : type;
}

function firstAndLast(history: History): readonly Sample[] {
  const { length } = history;
  if (length <= MOST_SAMPLES) return history.samples;
  const half = [...Array(MOST_SAMPLES / 2).keys()];
  return [...half.map((i) => history.at(i)), ...half.map((i) => history.at(length - half.length + i))];
}

/** How code reaches the value of a history, where it has a name. */
function pathOf(history: History): string {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$.]*$/u.test(history.name) ? history.name : 'it';
}

function isOpenable({ value }: Sample): boolean {
  return value.type === 'object' || value.type === 'function' || (value.type === 'string' && value.size !== undefined);
}

export function presentStage(sample: Sample): StageMessage {
  return {
    name: sample.kind === 'stage' ? `${sample.name}()` : sample.name || 'result',
    size: sizeText(sample.value),
    text: valueText(sample.value, 240),
    moment: sample.moment,
    openable: isOpenable(sample),
  };
}

function sizeText(value: Sample['value']): string {
  if (value.form === 'array' || value.form === 'typed' || value.form === 'set' || value.form === 'map')
    return `${(value.size ?? 0).toLocaleString('en-US')} ${value.size === 1 ? 'item' : 'items'}`;
  if (value.type !== 'string') return '';
  return `${(value.size ?? value.text?.length ?? 0).toLocaleString('en-US')} characters`;
}
