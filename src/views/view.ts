/**
 * Views: ways to show a value. From a value that was read wide to plain data
 * that a page or a terminal draws. Chosen by what the value is; the first is
 * the one that says most.
 */
import type { Entry, Value } from '../wire/value.js';

export interface TableView {
  view: 'table';
  columns: string[];
  /** Texts, and the numbers behind them where there are, for sorting. */
  rows: { key: string; cells: { text: string; number?: number }[] }[];
  /** Rows that were not read. */
  more: number;
}

export interface PlotView {
  view: 'plot';
  /** The horizontal axis, where the data has one; else positions. */
  x?: number[];
  lines: { name: string; y: (number | null)[] }[];
  /** Points that were not read. */
  more: number;
}

export type Shape =
  | { shape: 'point'; x: number; y: number; label: string }
  | { shape: 'rectangle'; x: number; y: number; width: number; height: number; label: string }
  | { shape: 'path'; points: [number, number][]; closed: boolean; label: string };

export interface DrawingView {
  view: 'drawing';
  shapes: Shape[];
  /** `[left, top, width, height]` around all shapes. */
  box: [number, number, number, number];
}

export type View =
  | { view: 'text'; text: string }
  | { view: 'swatch'; colours: string[] }
  | { view: 'svg'; text: string }
  | { view: 'date'; iso: string }
  | { view: 'address'; parts: { name: string; text: string }[] }
  /** Bytes of a picture file, or of pixels: read with `bytes`. */
  | { view: 'picture'; kind: 'file' | 'pixels' }
  | TableView
  | PlotView
  | DrawingView;

const COLOUR =
  /^(?:#(?:[0-9a-f]{3,4}|[0-9a-f]{6}|[0-9a-f]{8})|(?:rgb|hsl)a?\(\s*[-\d.]+(?:deg|turn|rad|%)?\s*[, ]\s*[-\d.]+%?\s*[, ]\s*[-\d.]+%?\s*(?:[,/]\s*[-\d.]+%?\s*)?\)|(?:oklch|oklab|lch|lab|hwb)\([-\d.%a-z\s/]+\))$/i;

/** True for text that is a colour in the notation of CSS. */
export function isColour(text: string): boolean {
  return text.length <= 64 && COLOUR.test(text.trim());
}

/** All views that fit a value, best first; empty where text says it all. */
export function viewsOf(value: Value): View[] {
  const views: View[] = [];
  switch (value.type) {
    case 'string': {
      const text = value.text ?? '';
      if (isColour(text)) views.push({ view: 'swatch', colours: [text.trim()] });
      if (/^\s*(?:<\?xml[^>]*>\s*)?(?:<!--[\s\S]*?-->\s*)*<svg[\s>]/i.test(text)) views.push({ view: 'svg', text });
      const address = addressOf(text);
      if (address) views.push(address);
      if (/\n/.test(text)) views.push({ view: 'text', text });
      break;
    }
    case 'object':
      if (value.form === 'date' && value.text && value.text !== 'Invalid Date')
        views.push({ view: 'date', iso: value.text });
      if (value.class === 'URL') {
        const href = value.entries?.find((entry) => entry.key === 'href')?.value.text;
        const address = href === undefined ? undefined : addressOf(href);
        if (address) views.push(address);
      }
      if (value.form === 'typed' && isPictureFile(value)) views.push({ view: 'picture', kind: 'file' });
      if (isPixels(value)) views.push({ view: 'picture', kind: 'pixels' });
      if (value.form === 'array' || value.form === 'typed' || value.form === 'set') views.push(...listViews(value));
      else if (value.form === 'map' || value.form === undefined) views.push(...recordViews(value));
      break;
  }
  return views;
}

function addressOf(text: string): View | undefined {
  const match =
    /^([a-z][a-z0-9+.-]*):\/\/(?:([^\s/?#@]*)@)?(\[[0-9a-f:.]+\]|[^\s/?#:]*)(?::(\d+))?(\/[^\s?#]*)?(?:\?([^\s#]*))?(?:#(\S*))?$/i.exec(
      text,
    );
  if (!match || text.length > 4_000) return undefined;
  const [, scheme, user, host, port, path, query, fragment] = match;
  const parts: { name: string; text: string }[] = [];
  const add = (name: string, part: string | undefined): void => {
    if (part !== undefined && part !== '') parts.push({ name, text: part });
  };
  add('scheme', scheme);
  add('user', user);
  add('host', host);
  add('port', port);
  add('path', path);
  for (const pair of (query ?? '').split('&')) {
    if (pair === '') continue;
    const at = pair.indexOf('=');
    add(`query ${decoded(at < 0 ? pair : pair.slice(0, at))}`, at < 0 ? '(set)' : decoded(pair.slice(at + 1)) || "''");
  }
  add('fragment', fragment);
  return { view: 'address', parts };
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replace(/\+/g, ' '));
  } catch {
    return text;
  }
}

const PICTURE_HEADS: readonly (readonly number[])[] = [
  [0x89, 0x50, 0x4e, 0x47],
  [0xff, 0xd8, 0xff],
  [0x47, 0x49, 0x46, 0x38],
  [0x52, 0x49, 0x46, 0x46],
];

function isPictureFile(value: Value): boolean {
  const head = (value.entries ?? []).slice(0, 4).map((entry) => Number(entry.value.text));
  return (
    (value.size ?? 0) > 24 &&
    /^(Uint8Array|Buffer|Uint8ClampedArray)$/.test(value.class ?? '') &&
    PICTURE_HEADS.some((bytes) => bytes.every((byte, i) => head[i] === byte))
  );
}

/** `{ width, height, data }` with four bytes per pixel. */
function isPixels(value: Value): boolean {
  const field = (key: string): Value | undefined => value.entries?.find((entry) => entry.key === key)?.value;
  const width = numberOf(field('width'));
  const height = numberOf(field('height'));
  const data = field('data');
  return (
    width !== undefined &&
    height !== undefined &&
    data?.form === 'typed' &&
    (data.size ?? 0) > 0 &&
    data.size === width * height * 4
  );
}

function numberOf(value: Value | undefined): number | undefined {
  if (value?.type !== 'number') return undefined;
  const number = Number(value.text);
  return Number.isFinite(number) ? number : undefined;
}

function listViews(value: Value): View[] {
  const entries = value.entries ?? [];
  if (entries.length === 0) return [];
  const views: View[] = [];
  const more = value.more ?? 0;
  const values = entries.map((entry) => entry.value);
  const colours = values.filter((one) => one.type === 'string' && isColour(one.text ?? ''));
  if (colours.length === values.length && values.length > 1)
    views.push({ view: 'swatch', colours: colours.slice(0, 200).map((one) => one.text!.trim()) });
  const numbers = values.map((one) => (one.type === 'null' || one.type === 'undefined' ? null : numberOf(one)));
  if (values.length > 1 && numbers.every((one) => one !== undefined) && numbers.some((one) => one !== null))
    views.push({ view: 'plot', lines: [{ name: '', y: numbers as (number | null)[] }], more });
  const pairs = values.map(pairOf);
  if (values.length > 1 && pairs.every((pair) => pair !== undefined)) {
    const list = pairs as [number, number][];
    const rising = list.every((pair, i) => i === 0 || pair[0] >= list[i - 1]![0]);
    const plot: View = {
      view: 'plot',
      x: list.map((pair) => pair[0]),
      lines: [{ name: '', y: list.map((pair) => pair[1]) }],
      more,
    };
    const drawing = drawingOf([{ shape: 'path', points: list, closed: false, label: '' }]);
    views.push(...(rising ? [plot, drawing] : [drawing]));
  }
  const shapes = values.map((one, i) => shapeOf(one, String(i)));
  if (shapes.every((shape) => shape !== undefined)) views.push(drawingOf(shapes as Shape[]));
  const table = tableOf(entries, more);
  if (table) {
    views.push(table);
    const plot =
      views.some((view) => view.view === 'plot') || pairs.every((pair) => pair !== undefined)
        ? undefined
        : plotOfTable(table);
    if (plot) views.push(plot);
  }
  return views;
}

function recordViews(value: Value): View[] {
  const entries = value.entries ?? [];
  if (entries.length === 0) return [];
  const shape = shapeOf(value, '');
  if (shape) return [drawingOf([shape])];
  const lists = entries.filter((entry) => entry.value.form === 'array' || entry.value.form === 'typed');
  if (lists.length === entries.length && lists.length > 0) {
    const lines = lists.map((entry) => ({
      name: entry.key ?? '',
      y: (entry.value.entries ?? []).map((one) => numberOf(one.value) ?? null),
    }));
    if (lines.every((line) => line.y.length > 1 && line.y.every((one) => one !== null)))
      return [{ view: 'plot', lines, more: Math.max(...lists.map((entry) => entry.value.more ?? 0)) }];
  }
  const table = tableOf(entries, value.more ?? 0);
  return table ? [table] : [];
}

function pairOf(value: Value): [number, number] | undefined {
  if (value.form !== 'array' || value.size !== 2) return undefined;
  const x = numberOf(value.entries?.[0]?.value);
  const y = numberOf(value.entries?.[1]?.value);
  return x === undefined || y === undefined ? undefined : [x, y];
}

/** `{ x, y }`, `{ x, y, width, height }`, `{ points }`, `{ x1, y1, x2, y2 }`; other names may stand beside. */
function shapeOf(value: Value, label: string): Shape | undefined {
  if (value.type !== 'object' || value.form !== undefined) return undefined;
  const field = (key: string): Value | undefined => value.entries?.find((entry) => entry.key === key)?.value;
  const name = field('name')?.text ?? field('label')?.text ?? label;
  const x = numberOf(field('x'));
  const y = numberOf(field('y'));
  const width = numberOf(field('width') ?? field('w'));
  const height = numberOf(field('height') ?? field('h'));
  if (x !== undefined && y !== undefined) {
    if (width !== undefined && height !== undefined) return { shape: 'rectangle', x, y, width, height, label: name };
    return { shape: 'point', x, y, label: name };
  }
  const ends = ['x1', 'y1', 'x2', 'y2'].map((key) => numberOf(field(key)));
  if (ends.every((end) => end !== undefined)) {
    const [x1, y1, x2, y2] = ends as number[];
    return {
      shape: 'path',
      points: [
        [x1!, y1!],
        [x2!, y2!],
      ],
      closed: false,
      label: name,
    };
  }
  const points = field('points');
  if (points?.form === 'array') {
    const list = (points.entries ?? []).map((entry) => {
      const shape = shapeOf(entry.value, '');
      return pairOf(entry.value) ?? (shape?.shape === 'point' ? ([shape.x, shape.y] as [number, number]) : undefined);
    });
    if (list.length > 1 && list.every((point) => point !== undefined))
      return {
        shape: 'path',
        points: list as [number, number][],
        closed: field('closed')?.text === 'true',
        label: name,
      };
  }
  return undefined;
}

function drawingOf(shapes: Shape[]): DrawingView {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  const note = (x: number, y: number): void => {
    left = Math.min(left, x);
    right = Math.max(right, x);
    top = Math.min(top, y);
    bottom = Math.max(bottom, y);
  };
  for (const shape of shapes) {
    if (shape.shape === 'path') for (const [x, y] of shape.points) note(x, y);
    else {
      note(shape.x, shape.y);
      if (shape.shape === 'rectangle') note(shape.x + shape.width, shape.y + shape.height);
    }
  }
  return { view: 'drawing', shapes, box: [left, top, right - left, bottom - top] };
}

/** A list of records as rows; undefined when its items are no records. */
export function tableOf(entries: readonly Entry[], more: number): TableView | undefined {
  const columns: string[] = [];
  for (const { value } of entries) {
    if (
      value.type !== 'object' ||
      (value.form !== undefined && value.form !== 'array' && value.form !== 'class') ||
      !value.entries
    )
      return undefined;
    value.entries.forEach((cell, i) => {
      const name = cell.key ?? String(i);
      if (!columns.includes(name) && columns.length < 60) columns.push(name);
    });
  }
  if (columns.length === 0) return undefined;
  return {
    view: 'table',
    columns,
    rows: entries.map((entry, index) => {
      const cells = columns.map((name) => {
        const at = entry.value.entries!.findIndex((cell, i) => (cell.key ?? String(i)) === name);
        const value = entry.value.entries![at]?.value;
        if (!value) return { text: '' };
        const number = numberOf(value);
        const text = value.type === 'string' ? (value.text ?? '') : shortText(value);
        return number === undefined ? { text } : { text, number };
      });
      return { key: entry.key ?? String(index), cells };
    }),
    more,
  };
}

function shortText(value: Value): string {
  if (value.type !== 'object') return value.text ?? value.type;
  if (value.form === 'array') return `[${(value.entries ?? []).map((entry) => shortText(entry.value)).join(', ')}]`;
  return value.text ?? value.class ?? `{${(value.entries ?? []).map((entry) => entry.key).join(', ')}}`;
}

function plotOfTable(table: TableView): PlotView | undefined {
  const numeric = table.columns.map(
    (_, column) => table.rows.length > 1 && table.rows.every((row) => row.cells[column]!.number !== undefined),
  );
  const lines = table.columns.flatMap((name, column) =>
    numeric[column] ? [{ name, y: table.rows.map((row) => row.cells[column]!.number ?? null) }] : [],
  );
  return lines.length > 0 && lines.length <= 12 ? { view: 'plot', lines, more: table.more } : undefined;
}

/** Rows in the order of one column: numbers by size, texts by the alphabet; -1 for from high to low. */
export function sortedRows(table: TableView, column: number, direction: 1 | -1): TableView['rows'] {
  return [...table.rows].sort((a, b) => {
    const one = a.cells[column]!;
    const other = b.cells[column]!;
    if (one.number !== undefined && other.number !== undefined) return (one.number - other.number) * direction;
    if (one.number !== undefined || other.number !== undefined) return one.number !== undefined ? -1 : 1;
    return one.text.localeCompare(other.text, 'en') * direction;
  });
}
