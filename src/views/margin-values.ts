/** Values beside the lines. */
import { countsAt } from '../record/counts.js';
import type { History } from '../record/histories.js';
import type { PadRecord } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { verbOf } from '../syntax/verbs/index.js';
import type { Value } from '../wire/value.js';
import { cutDigits, decimalsFor, numberText } from './digits.js';
import { ageText } from './duration.js';
import type { MarginItem } from './margin-item.js';
import { badRequestsIn, requestText } from './requests.js';

export function callItems(record: PadRecord, fileName: string, until: number): { line: number; item: MarginItem }[] {
  const file = record.program.files.find((one) => one.file === fileName);
  const cells = file && (until === Infinity ? record.counts.get(file.unit) : countsAt(record, file, until));
  if (!file || !cells) return [];
  const found: { line: number; item: MarginItem }[] = [];
  for (const site of file.sites) {
    if (site.kind !== 'function') continue;
    const count = cells[site.cell] ?? 0;
    const line = file.lines.lineAt(site.start);
    const rate = until === Infinity ? (record.live?.rates.get(file.unit)?.[site.cell] ?? 0) : 0;
    if (rate > 0) {
      const text = `${rateText(rate)} · ×${count.toLocaleString('en-US')}`;
      const title =
        `${site.name || 'function'} is called ${rateText(rate, true)}; ${count.toLocaleString('en-US')} ` +
        'times since it is observed';
      found.push({ line, item: { kind: 'calls', text, title } });
      continue;
    }
    if (count < 2 || file.lines.lineAt(site.end - 1) === line) continue;
    found.push({
      line,
      item: {
        kind: 'calls',
        text: `×${count.toLocaleString('en-US')}`,
        title: `${site.name || 'function'} was called ${count.toLocaleString('en-US')} times`,
      },
    });
  }
  return found;
}

/** `60/s`, or `60 times a second`. */
export function rateText(rate: number, inWords = false): string {
  const unit = inWords ? ' times a second' : '/s';
  const perMinute = inWords ? ' times a minute' : '/min';
  if (rate < 1) return `${Math.round(rate * 60).toLocaleString('en-US')}${perMinute}`;
  return `${rate < 10 ? rate.toFixed(1).replace(/\.0$/, '') : Math.round(rate).toLocaleString('en-US')}${unit}`;
}

/** Values of one line: those of its outermost code, each named when there are several. */
export function valueItems(
  histories: History[],
  testLines: ReadonlySet<number>,
  then: boolean,
  live = false,
): MarginItem[] {
  const shown = histories.filter(
    (history) =>
      history.kind !== 'stage' &&
      history.kind !== 'mark' &&
      worthShowing(history, testLines.has(history.range.start.line)),
  );
  if (shown.length === 0) return [];
  const depth = (history: History): number => history.within;
  const outermost = Math.min(...shown.map(depth));
  const same = shown.filter((history) => depth(history) === outermost);
  const conditions = same.filter((history) => history.kind === 'condition');
  let chosen = same.filter((history) => history.kind !== 'condition' && history.kind !== 'default');
  if (chosen.length === 0) chosen = conditions.length > 0 ? conditions.slice(0, 2) : same;
  // What is inside another value of the line says less than the whole.
  chosen = chosen.filter(
    (history) =>
      !chosen.some(
        (other) => other !== history && other.kind === 'expression' && contains(other, history) && !isNamed(history),
      ),
  );
  const named = chosen.length > 1;
  return chosen.slice(0, 6).map((history) => {
    const withName = history.name !== '' && (named ? isNamed(history) : ALWAYS_NAMED.has(history.kind));
    return live && !then ? liveItem(history, withName) : (then ? momentItem : seriesItem)(history, withName);
  });
}

/** The requests that went wrong under a `catch`. */
export function caughtItems(record: PadRecord, fileName: string, history: History): MarginItem[] {
  const file = record.program.files.find((one) => one.file === fileName);
  const tried = file?.sites[history.site]?.tried;
  if (!file || !tried || record.requests.length === 0) return [];
  const { start, end } = file.lines.rangeOf(tried.start, tried.end);
  return badRequestsIn(record, fileName, start, end, history.at(history.length - 1).moment)
    .slice(-2)
    .map((request) => ({
      kind: 'bad-request' as const,
      text: requestText(request),
      title: requestText(request, true),
    }));
}

/** Kinds whose value says little without the name. */
const ALWAYS_NAMED = new Set<History['kind']>(['default', 'item', 'variable', 'caught']);

function isNamed(history: History): boolean {
  return (
    history.kind !== 'expression' &&
    history.kind !== 'return' &&
    history.kind !== 'condition' &&
    history.kind !== 'await'
  );
}

function contains(outer: History, inner: History): boolean {
  const before = (a: History['range']['start'], b: History['range']['start']): boolean =>
    a.line < b.line || (a.line === b.line && a.character <= b.character);
  return before(outer.range.start, inner.range.start) && before(inner.range.end, outer.range.end);
}

function worthShowing(history: History, isTest: boolean): boolean {
  if (history.kind !== 'expression' && history.kind !== 'return') return true;
  if (isTest) return false;
  // A call that gives nothing back has nothing to show.
  for (let i = 0; i < Math.min(history.length, 64); i++) if (history.at(i).value.type !== 'undefined') return true;
  return history.length > 64 && history.at(history.length - 1).value.type !== 'undefined';
}

/** What a mark asked for. */
export function markItem(record: PadRecord, fileName: string, history: History, until: number): MarginItem {
  const verb = verbOf(history.mark!.verb);
  const last = history.at(history.length - 1);
  if (last.value.failed) {
    const text = `the mark failed: ${valueText({ ...last.value, failed: undefined }, 200)}`;
    return { kind: 'note', text, title: text };
  }
  const then = until < record.moments;
  if (verb?.tell && !then) {
    const file = record.program.files.find((one) => one.file === fileName)!;
    const numbers = history.samples
      .filter(({ value }) => value.type === 'number')
      .map(({ value }) => Number(value.text));
    const timing = record.timings.get(file.base + history.site);
    const text = verb.tell(numbers, {
      visits: timing?.visits ?? history.visits,
      runMs: record.durationMs,
      ...(timing ? { total: timing.total } : {}),
    });
    const visits = timing?.visits ?? history.visits;
    const item: MarginItem = { kind: 'value', text, title: `${verb.name}: ${text}` };
    if (visits > 1) item.count = `×${visits.toLocaleString('en-US')}`;
    const series = history.length > 2 ? seriesOf(history, 32) : undefined;
    if (series) item.series = series;
    return item;
  }
  if (then) return momentItem(history, false);
  if (verb?.reports === 'kept') {
    const file = record.program.files.find((one) => one.file === fileName)!;
    const state = record.kept.get(file.base + history.site);
    if (state?.why !== undefined) {
      const text = `${valueText(last.value, 60)} cannot be kept: ${state.why}`;
      return { kind: 'note', text, title: text };
    }
    const age = state?.ageMs ? `kept, ${ageText(state.ageMs)} old` : 'kept from now on';
    return {
      kind: 'value',
      text: short(last.value, 120),
      count: age,
      title: `${valueText(last.value, 2_000)}\n${age}`,
    };
  }
  const item = seriesItem(history, false);
  // Only the visits that were asked for: their share of all.
  if (verb?.reports === 'holds')
    item.count = `${history.length.toLocaleString('en-US')} of ${history.total.toLocaleString('en-US')}`;
  if (verb?.view === 'plot' && history.length > 2) {
    const series = seriesOf(history, 64);
    if (series) {
      item.series = series;
      item.count ??= `×${history.visits.toLocaleString('en-US')}`;
    }
  }
  return item;
}

/** One value: that of the last visit by the moment. */
function momentItem(history: History, named: boolean): MarginItem {
  const last = history.at(history.length - 1);
  const text = `${named ? `${history.name} ` : ''}${short(last.value, 160)}`;
  const item: MarginItem = { kind: 'value', text, title: titleOf(history) };
  if (history.total > 1)
    item.count = `${last.visit.toLocaleString('en-US')} of ${history.total.toLocaleString('en-US')}`;
  return item;
}

/** The value of a program that runs on: what it is now, and how it came there. */
function liveItem(history: History, named: boolean): MarginItem {
  const { length, visits } = history;
  const last = short(history.at(length - 1).value, 120);
  const item: MarginItem = {
    kind: 'value',
    text: `${named ? `${history.name} ` : ''}${last}`,
    title: titleOf(history),
  };
  // A parameter stands beside how often its function was called.
  if (visits > 1 && !(named && history.kind === 'variable')) item.count = `×${visits.toLocaleString('en-US')}`;
  const series = length > 2 && !allEqual(history) ? seriesOf(history, 48) : undefined;
  if (series) item.series = series;
  return item;
}

function seriesItem(history: History, named: boolean): MarginItem {
  const { length, visits } = history;
  const told = (length <= 4 ? [...Array(length).keys()] : [0, 1, 2, length - 1]).map((i) => history.at(i).value);
  const range = length > 4 ? rangeOf(history) : undefined;
  const ends = range ? [range.low, range.high].map((end): Value => ({ type: 'number', text: String(end) })) : [];
  const decimals = length === 1 ? undefined : decimalsFor([...told, ...ends]);
  const texts = told.map((value, i) =>
    short(value, length === 1 ? 160 : length <= 4 || i === 3 ? 48 : 32, value.type === 'number' ? decimals : undefined),
  );
  let text: string;
  const same = length > 1 && length === visits && length <= 4096 && allEqual(history);
  if (same) text = short(history.at(0).value, 48);
  else if (length <= 4) text = texts.join(' · ');
  else text = `${texts.slice(0, 3).join(' · ')} … ${texts[3]!}`;
  if (named) text = `${history.name} ${text}`;
  const item: MarginItem = { kind: 'value', text, title: titleOf(history) };
  if (same || visits > length || length > 4) item.count = `×${visits.toLocaleString('en-US')}`;
  if (!same && range && decimals !== undefined) item.count += rangeText(history, range, decimals);
  if (!same && length > 2) {
    const series = seriesOf(history, 32);
    if (series) item.series = series;
  }
  return item;
}

interface Spread {
  low: number;
  high: number;
}

/** The least and the greatest of a history of numbers; undefined where one is none. */
function rangeOf(history: History): Spread | undefined {
  let low = Infinity;
  let high = -Infinity;
  for (let i = 0; i < history.length; i++) {
    const { value } = history.at(i);
    const number = Number(value.text);
    if (value.type !== 'number' || !Number.isFinite(number)) return undefined;
    low = Math.min(low, number);
    high = Math.max(high, number);
  }
  return { low, high };
}

/** The range of a series that its first and last value do not tell; `about` where not every visit was sampled. */
function rangeText(history: History, { low, high }: Spread, decimals: number): string {
  const first = Number(history.at(0).value.text);
  const last = Number(history.at(history.length - 1).value.text);
  if (Math.min(first, last) === low && Math.max(first, last) === high) return '';
  const about = history.length < history.visits ? 'about ' : '';
  return `, ${about}${numberText(low, decimals)} … ${numberText(high, decimals)}`;
}

function allEqual(history: History): boolean {
  const first = valueText(history.at(0).value, 200);
  for (let i = 1; i < history.length; i++) if (valueText(history.at(i).value, 200) !== first) return false;
  return true;
}

/** @param decimals that a number keeps; those of a series keep the same */
function short(value: Value, limit: number, decimals?: number): string {
  return valueText(cutDigits(value, decimals), limit);
}

function titleOf(history: History): string {
  const { visits, length } = history;
  const last = history.at(length - 1);
  const head = `${history.name ? `${history.name}: ` : ''}${valueText(last.value, 2_000)}`;
  if (visits <= 1) return head;
  const left = visits - length;
  return (
    `${head}\nvisit ${last.visit.toLocaleString('en-US')} ` +
    `of ${visits.toLocaleString('en-US')}${left > 0 ? `; ${length} sampled, ${left.toLocaleString('en-US')} counted only` : ''}`
  );
}

/**
 * At most `limit` numbers of a history, evenly spread over its visits (samples
 * are denser at the start of a run than later); undefined when one of them is
 * no number.
 */
export function seriesOf(history: History, limit: number): number[] | undefined {
  const { length } = history;
  const first = history.at(0).visit;
  const last = history.at(length - 1).visit;
  const points = Math.min(limit, length);
  const result: number[] = [];
  let at = 0;
  for (let i = 0; i < points; i++) {
    const visit = points === 1 ? last : first + (i * (last - first)) / (points - 1);
    // The last sample whose visit is not beyond: samples are ordered by visit.
    let high = length - 1;
    while (at < high) {
      const middle = (at + high + 1) >> 1;
      if (history.at(middle).visit <= visit) at = middle;
      else high = middle - 1;
    }
    const { value } = history.at(at);
    const number = Number(value.text);
    if (value.type !== 'number' || !Number.isFinite(number)) return undefined;
    result.push(number);
  }
  return result;
}
