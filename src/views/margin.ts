/**
 * What stands beside a line of code: errors first, then test results, then
 * values. Plain data; terminal, page and editor draw it in their own way.
 */
import {
  countsAt,
  historiesByLine,
  lineStates,
  type History,
  type LineReport,
  type LineState,
} from '../record/questions.js';
import type { PadRecord, RecordError, TestResult } from '../record/record.js';
import { explain } from './explain.js';
import { badRequestsIn, isBad, requestText } from './requests.js';
import { differenceText } from './difference.js';
import { verbOf } from '../syntax/verbs/index.js';
import { valueText } from '../runtime/text.js';
import type { Value } from '../wire/value.js';

export interface MarginItem {
  kind:
    | 'value'
    | 'error'
    | 'passed'
    | 'failed'
    | 'skipped'
    | 'calls'
    | 'note'
    | 'wait'
    | 'request'
    | 'bad-request'
    | 'type'
    | 'gate'
    | 'dial';
  /** Short text, for the margin. */
  text: string;
  /** `×120`, where there were more visits than the text shows. */
  count?: string;
  /** Numbers of a series, thinned, for a sparkline. */
  series?: number[];
  /** The whole of it in words. */
  title: string;
}

export interface LineView {
  line: number;
  state: LineState | 'none';
  hits: number;
  /** Width of the rail, 0 to 4. */
  heat: 0 | 1 | 2 | 3 | 4;
  way: boolean;
  /** The state in words. */
  title: string;
  items: MarginItem[];
}

/** Steps of the rail: 1, 2–9, 10–99, 100 and more. */
export function heatOf(hits: number): 0 | 1 | 2 | 3 | 4 {
  return hits <= 0 ? 0 : hits === 1 ? 1 : hits < 10 ? 2 : hits < 100 ? 3 : 4;
}

/** The state of a line in words. */
export function stateTitle(report: LineReport): string {
  const times = report.hits === 1 ? 'once' : `${report.hits.toLocaleString('en-US')} times`;
  switch (report.state) {
    case 'never':
      return 'never ran';
    case 'failed':
      return report.hits > 0 ? `failed here; ran ${times}` : 'failed here';
    case 'partly':
      return `ran ${times}; ${report.missing.length} of ${report.parts} parts never ran: ${report.missing.join(', ')}`;
    default:
      return `ran ${times}${report.way ? '; on the way to the failure' : ''}`;
  }
}

/** The same for a program that runs on: nothing is known of what was before somebody looked. */
function liveTitle(report: LineReport): string {
  const title = stateTitle(report).replace('never ran', 'did not run');
  return report.hits > 0 || report.state === 'never' ? `${title} since it is watched` : title;
}

/** All lines of a file that have something to show, by zero-based line. */
export function linesView(record: PadRecord, file: string = record.file, until = Infinity): Map<number, LineView> {
  const views = new Map<number, LineView>();
  const at = (line: number): LineView => {
    let view = views.get(line);
    if (!view) {
      view = { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] };
      views.set(line, view);
    }
    return view;
  };
  const executed = record.target !== 'none';
  const reused = record.tests.some((test) => test.reused);
  if (executed)
    for (const report of lineStates(record, file, until)) {
      // Tests that were not run again may have been all that ever came here.
      const unknown = reused && report.state === 'never';
      Object.assign(at(report.line), {
        state: unknown ? 'none' : report.state,
        hits: report.hits,
        heat: heatOf(report.hits),
        way: report.way,
        title: unknown
          ? 'did not run this time; results of some tests are from an earlier run'
          : record.live
            ? liveTitle(report)
            : stateTitle(report),
      });
    }
  for (const { error, test } of errorsOf(record)) {
    if (error.file !== file || error.moment > until) continue;
    const view = at(error.range.start.line);
    view.state = 'failed';
    view.title ||= 'failed here';
    view.items.push(errorItem(record, error, test));
  }
  if (
    until >= record.moments &&
    record.stop &&
    record.outcome === 'stopped' &&
    record.stop.file === file &&
    record.stop.range
  ) {
    at(record.stop.range.start.line).items.push({
      kind: 'error',
      text: record.stop.message,
      title: record.stop.message,
    });
  }
  for (const test of record.tests)
    if (test.file === file && test.moment <= until) at(test.line).items.push(testItem(test));
  const controls = controlItems(record, file);
  for (const { line, item } of controls) if (item.kind === 'gate') at(line).items.push(item);
  for (const item of pendingItems(record, file, until)) at(item.line).items.push(item.item);
  for (const note of record.program.files.find((one) => one.file === file)?.notes ?? []) {
    const lines = record.program.files.find((one) => one.file === file)!.lines;
    at(lines.lineAt(note.start)).items.push({ kind: 'note', text: note.message, title: note.message });
  }
  const testLines = new Set(record.tests.filter((test) => test.file === file).map((test) => test.line));
  if (executed) {
    for (const item of callItems(record, file, until)) at(item.line).items.push(item.item);
    for (const [line, histories] of historiesByLine(record, file, until)) {
      const marks = histories.filter((history) => history.mark);
      // What a person asked for stands instead of what is shown unasked.
      const items =
        marks.length > 0
          ? marks.map((history) => markItem(record, file, history, until))
          : valueItems(histories, testLines, until < record.moments, record.live !== undefined);
      if (items.length > 0) at(line).items.push(...items);
      for (const history of histories)
        if (history.kind === 'caught') at(line).items.push(...caughtItems(record, file, history));
    }
  }
  // What only adds to a value comes after it.
  for (const { line, item } of controls) if (item.kind !== 'gate') at(line).items.push(item);
  return views;
}

function errorsOf(record: PadRecord): { error: RecordError; test?: TestResult }[] {
  const list: { error: RecordError; test?: TestResult }[] = record.errors.map((error) => ({ error }));
  for (const test of record.tests) if (test.error && test.state === 'failed') list.push({ error: test.error, test });
  return list;
}

function errorItem(record: PadRecord, error: RecordError, test?: TestResult): MarginItem {
  const difference = error.differences && differenceText(error.differences);
  if (difference !== undefined)
    return {
      kind: 'error',
      text: difference,
      title: `${test ? `${test.name}: ` : ''}${errorText(error)}\n${difference}`,
    };
  if (test && error.expected && error.received) {
    const text = `received ${valueText(error.received, 60)}, expected ${valueText(error.expected, 60)}`;
    return { kind: 'error', text, title: `${test.name}: ${error.message}` };
  }
  const text = errorText(error);
  const { reason, hint, values } = explain(record, error);
  const told = [reason === '' ? firstLine(text) : `${error.name}: ${reason}`, hint]
    .filter(Boolean)
    .join('. ')
    .replace('?.', '?');
  return {
    kind: 'error',
    text: told,
    title: [text, reason, hint, ...values.map((one) => `${one.name} = ${one.text}`)].filter(Boolean).join('\n'),
  };
}

/** Name and message of an error, as a person says them. */
export function errorText(error: RecordError): string {
  if (error.times) return `${errorText({ ...error, times: 0 })} ×${error.times.toLocaleString('en-US')}`;
  if (error.kind === 'syntax' || error.kind === 'resolve') return error.message;
  if (error.value)
    return error.kind === 'rejection'
      ? `rejected with ${valueText(error.value, 120)}`
      : `threw ${valueText(error.value, 120)}`;
  // A comparison that is shown place by place needs no dump of both sides.
  if (error.differences && error.differences.list.length > 0)
    return `${error.name}: ${firstLine(error.message).replace(/:$/, '')}`;
  return error.message === '' ? error.name : error.name === '' ? error.message : `${error.name}: ${error.message}`;
}

function firstLine(text: string): string {
  const end = text.indexOf('\n');
  return end < 0 ? text : text.slice(0, end);
}

function testItem(test: TestResult): MarginItem {
  const time = durationText(test.durationMs);
  switch (test.state) {
    case 'passed':
      return {
        kind: 'passed',
        text: `✓ ${time}${test.reused ? ', earlier run' : ''}`,
        title: `${test.name}: passed in ${time}${test.reused ? ', in an earlier run: the edit cannot have touched it' : ''}`,
      };
    case 'failed':
      return {
        kind: 'failed',
        text: test.failure === 'subtests' ? `✗ ${test.reason}` : '✗ failed',
        title: `${test.name}: failed${test.error ? `: ${errorText(test.error)}` : test.reason ? `: ${test.reason}` : ''}`,
      };
    case 'skipped':
    case 'todo':
      return {
        kind: 'skipped',
        text: `- ${test.state === 'todo' ? 'to do' : 'skipped'}`,
        title: `${test.name}: ${test.state === 'todo' ? 'to do' : 'skipped'}${test.reason === undefined ? '' : `: ${test.reason}`}`,
      };
    default:
      return { kind: 'skipped', text: '… running', title: `${test.name}: not ended yet` };
  }
}

/** `3 s`, `4 min`, `2 h`. */
export function ageText(ms: number): string {
  if (ms < 1_000) return 'less than 1 s';
  const s = Math.round(ms / 1000);
  return s < 90 ? `${s} s` : s < 5_400 ? `${Math.round(s / 60)} min` : `${Math.round(s / 3600)} h`;
}

/** `0.2 ms`, `12 ms`, `1.4 s`. */
export function durationText(ms: number): string {
  if (ms >= 1000) return `${(ms / 1000).toFixed(1)} s`;
  return ms >= 10 ? `${Math.round(ms)} ms` : `${ms.toFixed(1)} ms`;
}

/** Dials, gates and notes beside their lines. */
function controlItems(record: PadRecord, file: string): { line: number; item: MarginItem }[] {
  const items: { line: number; item: MarginItem }[] = [];
  for (const dial of record.dials) {
    if (dial.frame?.file !== file || dial.value === dial.initial) continue;
    const text = `turned; ${JSON.stringify(dial.initial)} in the source`;
    items.push({
      line: dial.frame.line,
      item: { kind: 'dial', text, title: `the dial ${dial.name} is turned to ${JSON.stringify(dial.value)}; ${text}` },
    });
  }
  for (const gate of record.gates)
    if (gate.frame?.file === file)
      items.push({
        line: gate.frame.line,
        item: { kind: 'gate', text: gateText(gate), title: `the gate "${gate.name}": ${gateText(gate)}` },
      });
  for (const note of record.shown)
    if (note.kind === 'note' && note.file === file && note.line !== undefined)
      items.push({ line: note.line, item: { kind: 'note', text: note.title ?? '', title: note.title ?? '' } });
  return items;
}

/** What a gate is at, and what came of it last. */
export function gateText(gate: PadRecord['gates'][number]): string {
  switch (gate.state) {
    case 'open':
      return 'open, under way';
    case 'done':
      return `done in ${durationText(gate.tookMs ?? 0)}${gate.value ? `: ${valueText(gate.value, 80)}` : ''}`;
    case 'failed':
      return `failed: ${gate.error ?? ''}`;
    default:
      return `closed${gate.last ? `; last time ${gate.last.state}${gate.last.text === '' ? '' : `: ${gate.last.text}`}, ${ageText(gate.last.ageMs)} ago` : ''}`;
  }
}

/** What waits, and requests, beside their lines. */
function pendingItems(record: PadRecord, file: string, until: number): { line: number; item: MarginItem }[] {
  const items: { line: number; item: MarginItem }[] = [];
  const byLine = new Map<number, PadRecord['requests'][number][]>();
  for (const request of record.requests) {
    const frame = request.frames[0];
    if (frame?.file !== file || request.moment > until) continue;
    byLine.set(frame.line, [...(byLine.get(frame.line) ?? []), request]);
  }
  for (const [line, requests] of byLine) {
    const last = requests[requests.length - 1]!;
    const bad = requests.filter(isBad).length;
    const item: MarginItem = {
      kind: isBad(last) ? 'bad-request' : 'request',
      text: requestText(last),
      title: requests
        .slice(-8)
        .map((one) => requestText(one, true))
        .join('\n'),
    };
    if (requests.length > 1)
      item.count = `×${requests.length}${bad > 0 && bad < requests.length ? `, ${bad} went wrong` : ''}`;
    items.push({ line, item });
  }
  if (until < record.moments) return items;
  for (const wait of record.waits) {
    if (wait.file !== file) continue;
    const more = wait.count > 1 ? `${wait.count} ` : '';
    items.push({
      line: wait.line,
      item: {
        kind: 'wait',
        text: `… ${more}${record.ended ? 'never came' : `waiting, since ${durationText(Math.max(0, wait.since))}`}`,
        title: `${more === '' ? 'an await' : `at least ${more}awaits`} at this line ${record.ended ? 'had not come to an end when the program ended' : `wait since ${durationText(Math.max(0, wait.since))} after the start`}`,
      },
    });
  }
  for (const timer of record.timers) {
    if (timer.frame?.file !== file) continue;
    const text = timer.repeats
      ? `every ${durationText(timer.delay)}, ${timer.fired} so far`
      : `due ${durationText(timer.delay)} after ${durationText(Math.max(0, timer.since))}`;
    items.push({ line: timer.frame.line, item: { kind: 'wait', text: `⏱ ${text}`, title: `a timer: ${text}` } });
  }
  return items;
}

function callItems(record: PadRecord, fileName: string, until: number): { line: number; item: MarginItem }[] {
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
      const title = `${site.name || 'function'} is called ${rateText(rate, true)}; ${count.toLocaleString('en-US')} times since it is watched`;
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
function valueItems(histories: History[], testLines: ReadonlySet<number>, then: boolean, live = false): MarginItem[] {
  const shown = histories.filter(
    (history) => history.kind !== 'stage' && worthShowing(history, testLines.has(history.range.start.line)),
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
    return live && !then ? liveItem(history, withName, named) : (then ? momentItem : seriesItem)(history, withName);
  });
}

/** The requests that went wrong under a `catch`. */
function caughtItems(record: PadRecord, fileName: string, history: History): MarginItem[] {
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
function markItem(record: PadRecord, fileName: string, history: History, until: number): MarginItem {
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
function liveItem(history: History, named: boolean, among: boolean): MarginItem {
  const { length, visits } = history;
  const last = short(history.at(length - 1).value, 120, among);
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
  const texts =
    length <= 4 ? history.samples.map((sample) => short(sample.value, length === 1 ? 160 : 48, length > 1)) : [];
  let text: string;
  const same = length > 1 && length === visits && length <= 4096 && allEqual(history);
  if (same) text = short(history.at(0).value, 48);
  else if (length <= 4) text = texts.join(' · ');
  else
    text = `${[0, 1, 2].map((i) => short(history.at(i).value, 32, true)).join(' · ')} … ${short(history.at(length - 1).value, 48, true)}`;
  if (named) text = `${history.name} ${text}`;
  const item: MarginItem = { kind: 'value', text, title: titleOf(history) };
  if (same || visits > length || length > 4) item.count = `×${visits.toLocaleString('en-US')}`;
  if (!same && length > 2) {
    const series = seriesOf(history, 32);
    if (series) item.series = series;
  }
  return item;
}

function allEqual(history: History): boolean {
  const first = short(history.at(0).value, 200);
  for (let i = 1; i < history.length; i++) if (short(history.at(i).value, 200) !== first) return false;
  return true;
}

/** @param among one of several: the digits of a long fraction are cut, and the cut is shown */
function short(value: Value, limit: number, among = false): string {
  const text = valueText(value, limit);
  return among && value.type === 'number' && text.length > 9 && /^-?\d{1,6}\.\d+$/.test(text)
    ? `${text.slice(0, 8)}…`
    : text;
}

function titleOf(history: History): string {
  const { visits, length } = history;
  const last = history.at(length - 1);
  const head = `${history.name ? `${history.name}: ` : ''}${valueText(last.value, 2_000)}`;
  if (visits <= 1) return head;
  const left = visits - length;
  return `${head}\nvisit ${last.visit.toLocaleString('en-US')} of ${visits.toLocaleString('en-US')}${left > 0 ? `; ${length} sampled, ${left.toLocaleString('en-US')} counted only` : ''}`;
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
