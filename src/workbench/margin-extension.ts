/** What stands around the code in the editor: the heat rail left of the numbers, values behind the lines. */
import {
  RangeSet,
  RangeSetBuilder,
  StateEffect,
  StateField,
  type Extension,
  type Range,
  type Text,
  type Transaction,
} from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, gutter, GutterMarker, WidgetType } from '@codemirror/view';
import type { LineMessage, MarginItemMessage, RecordMessage } from '../server/protocol.js';
import { columnsOf, isCovered, placeOf, type Room } from './lane.js';

/** A record arrived; `good` is the last one whose text ran. */
export const showRecord = StateEffect.define<RecordMessage>();

/** Something was evaluated at a line. */
export const showBeside = StateEffect.define<{ line: number; item: MarginItemMessage & { open?: () => void } }>();

/** The room beside the code has changed. */
export const fitAgain = StateEffect.define<null>();

/** What stands here is of an earlier run, until a record comes. */
export const dimRecord = StateEffect.define<null>();

interface Around {
  /** What was evaluated, beside its line until that is changed. */
  beside: DecorationSet;
  rail: RangeSet<GutterMarker>;
  values: DecorationSet;
  /** Those of the last text that was executed: they stay while what is typed cannot be. */
  good: DecorationSet;
  errors: DecorationSet;
  stale: boolean;
  version: number;
}

class RailMarker extends GutterMarker {
  constructor(private readonly line: LineMessage) {
    super();
  }

  override eq(other: RailMarker): boolean {
    const a = this.line;
    const b = other.line;
    return a.state === b.state && a.heat === b.heat && a.way === b.way && a.title === b.title && a.hits === b.hits;
  }

  override toDOM(): HTMLElement {
    const { state, heat, way, title, hits } = this.line;
    const element = document.createElement('span');
    element.className = `rail rail-${state} heat-${heat}${hits >= 1000 ? ' hot' : ''}${way ? ' way' : ''}`;
    element.title = title;
    element.setAttribute('role', 'img');
    element.setAttribute('aria-label', title);
    return element;
  }
}

/** Measured when the window changes and not per widget, which would lay out the page for each. */
const room: Room = { width: 800, character: 8 };

/** Measures the room of an editor. @returns true where it has changed */
export function measureRoom(view: EditorView): boolean {
  const { width, character } = room;
  // Space at the edge, so that nothing is cut by a pixel.
  room.width = Math.max(120, view.scrollDOM.clientWidth - (view.contentDOM.offsetLeft || 64) - 24);
  room.character = view.defaultCharacterWidth;
  view.dom.style.setProperty('--room', `${room.width}px`);
  return room.width !== width || room.character !== character;
}

class MarginWidget extends WidgetType {
  constructor(
    private readonly items: readonly MarginItemMessage[],
    private readonly columns: number,
    private readonly line: number,
    private readonly onOpen: (line: number) => void,
    private readonly width = room.width,
  ) {
    super();
  }

  /** The same behind a line of so many columns, in the room there is now. */
  fitted(columns: number): MarginWidget {
    if (columns === this.columns && room.width === this.width) return this;
    return new MarginWidget(this.items, columns, this.line, this.onOpen);
  }

  override eq(other: MarginWidget): boolean {
    return (
      this.columns === other.columns &&
      this.line === other.line &&
      this.width === other.width &&
      JSON.stringify(this.items) === JSON.stringify(other.items)
    );
  }

  override toDOM(): HTMLElement {
    const element = document.createElement('span');
    const { pinned, width, free } = placeOf(this.columns, this.items, room);
    element.className = pinned ? 'margin pinned' : 'margin';
    // Cut at the window's edge, never wrapped. What is pinned takes no room of its own: the code keeps its width.
    element.style.maxWidth = `${width}px`;
    if (pinned) {
      element.style.width = `${width}px`;
      element.style.marginLeft = `${free - width}px`;
    }
    this.items.forEach((item, index) => {
      if (index > 0) element.append(plain('dot', ' · '));
      const part = plain(`item ${item.kind}`, item.text.replace(/\n/g, '↵'));
      part.title = item.title;
      element.append(part);
      if (item.count) element.append(plain('count', ` ${item.count}`));
      if (item.series && item.count) element.append(sparkline(item.series));
    });
    element.addEventListener('mousedown', (event) => {
      event.preventDefault();
      this.onOpen(this.line);
    });
    return element;
  }

  override ignoreEvent(): boolean {
    return true;
  }
}

function plain(className: string, text: string): HTMLElement {
  const element = document.createElement('span');
  element.className = className;
  element.textContent = text;
  return element;
}

const SVG = 'http://www.w3.org/2000/svg';

/** Numbers as a small curve. */
export function sparkline(numbers: readonly number[], width = 56, height = 13): SVGSVGElement {
  const svg = document.createElementNS(SVG, 'svg');
  svg.setAttribute('width', String(width));
  svg.setAttribute('height', String(height));
  svg.setAttribute('aria-hidden', 'true');
  svg.setAttribute('class', 'spark');
  const low = Math.min(...numbers);
  const high = Math.max(...numbers);
  const line = document.createElementNS(SVG, 'polyline');
  line.setAttribute(
    'points',
    numbers
      .map(
        (value, i) =>
          `${(1 + (i * (width - 2)) / Math.max(1, numbers.length - 1)).toFixed(1)},${high === low ? height / 2 : (height - 1 - ((value - low) / (high - low)) * (height - 2)).toFixed(1)}`,
      )
      .join(' '),
  );
  svg.append(line);
  return svg;
}

const badLine = Decoration.line({ class: 'bad-line' });

function build(doc: Text, record: RecordMessage, previous: Around | undefined, onOpen: (line: number) => void): Around {
  const errors: { from: number; to: number; decoration: Decoration }[] = [];
  for (const error of record.errors) {
    if (error.at.file !== record.file || error.at.line >= doc.lines) continue;
    const line = doc.line(error.at.line + 1);
    const from = Math.min(line.from + error.at.character, line.to);
    const to = Math.min(Math.max(line.from + error.endCharacter, from), line.to);
    errors.push({ from: line.from, to: line.from, decoration: badLine });
    if (to > from)
      errors.push({ from, to, decoration: Decoration.mark({ class: 'bad-place', attributes: { title: error.text } }) });
  }
  const errorSet = Decoration.set(
    errors.map(({ from, to, decoration }) => decoration.range(from, to)),
    true,
  );
  if (record.stale && previous) {
    // Values of the last good run stay where they have moved to, dimmed; errors are new.
    const widgets = record.lines.filter((line) => line.items.length > 0 && line.line < doc.lines);
    const bad = new Set(widgets.map((line) => line.line + 1));
    const kept = previous.good.update({ filter: (from) => !bad.has(doc.lineAt(from).number) });
    const added = widgets.map((line) => {
      const at = doc.line(line.line + 1);
      return Decoration.widget({
        widget: new MarginWidget(line.items, columnsOf(at.text), line.line, onOpen),
        side: 1,
      }).range(at.to);
    });
    return {
      beside: previous.beside,
      rail: previous.rail,
      values: kept.update({ add: added, sort: true }),
      good: previous.good,
      errors: errorSet,
      stale: true,
      version: record.version,
    };
  }
  const rail = new RangeSetBuilder<GutterMarker>();
  const values = new RangeSetBuilder<Decoration>();
  for (const line of record.lines) {
    if (line.line >= doc.lines) continue;
    const at = doc.line(line.line + 1);
    if (line.state !== 'none') rail.add(at.from, at.from, new RailMarker(line));
    if (line.items.length > 0)
      values.add(
        at.to,
        at.to,
        Decoration.widget({ widget: new MarginWidget(line.items, columnsOf(at.text), line.line, onOpen), side: 1 }),
      );
  }
  const built = values.finish();
  return {
    beside: previous?.beside ?? Decoration.none,
    rail: rail.finish(),
    values: built,
    good: record.stale ? Decoration.none : built,
    errors: errorSet,
    stale: record.stale,
    version: record.version,
  };
}

/**
 * Values stay at the end of their own line, also when a new line begins there; each takes the room that its line leaves
 * now.
 */
function moved(values: DecorationSet, transaction: Transaction): DecorationSet {
  const { doc } = transaction.state;
  const ranges: Range<Decoration>[] = [];
  let last = -1;
  for (const cursor = values.iter(); cursor.value; cursor.next()) {
    const line = doc.lineAt(transaction.changes.mapPos(cursor.from, -1));
    // Lines that were joined keep the values of the first.
    if (line.number === last) continue;
    last = line.number;
    const widget = cursor.value.spec.widget as MarginWidget;
    // Only where there may be other room than before: this is done at each keystroke.
    const isSame = transaction.docChanged && !transaction.changes.touchesRange(cursor.from - line.length, cursor.from);
    const fitted = isSame ? widget : widget.fitted(columnsOf(line.text));
    const decoration = fitted === widget ? cursor.value : Decoration.widget({ widget: fitted, side: 1 });
    ranges.push(decoration.range(line.to));
  }
  return Decoration.set(ranges);
}

function movedValues({ values, good }: Around, transaction: Transaction): Pick<Around, 'values' | 'good'> {
  const now = moved(values, transaction);
  return { values: now, good: good === values ? now : moved(good, transaction) };
}

/** What was evaluated holds for the text it was: it goes when its line is changed. */
function unchanged(beside: DecorationSet, transaction: Transaction): DecorationSet {
  const { startState, state, changes } = transaction;
  const kept: Range<Decoration>[] = [];
  for (const cursor = beside.iter(); cursor.value; cursor.next()) {
    const before = startState.doc.lineAt(cursor.from);
    const after = state.doc.lineAt(changes.mapPos(cursor.from, -1));
    if (before.text === after.text) kept.push(cursor.value.range(after.to));
  }
  return Decoration.set(kept);
}

/** The extension; `onOpen` is called with a zero-based line whose values a person wants to see. */
export function surroundings(onOpen: (line: number) => void): Extension {
  const field = StateField.define<Around>({
    create: () => ({
      beside: Decoration.none,
      rail: RangeSet.empty,
      values: Decoration.none,
      good: Decoration.none,
      errors: Decoration.none,
      stale: false,
      version: 0,
    }),
    update(around, transaction) {
      let next = around;
      if (transaction.docChanged)
        next = {
          ...next,
          beside: unchanged(next.beside, transaction),
          rail: next.rail.map(transaction.changes),
          ...movedValues(next, transaction),
          errors: next.errors.map(transaction.changes),
        };
      for (const effect of transaction.effects)
        if (effect.is(showBeside) && effect.value.line < transaction.state.doc.lines) {
          const { line, item } = effect.value;
          const at = transaction.state.doc.line(line + 1);
          const widget = new MarginWidget([item], columnsOf(at.text), line, item.open ?? ((): void => undefined));
          const others = next.beside.update({ filter: (from) => transaction.state.doc.lineAt(from).from !== at.from });
          next = { ...next, beside: others.update({ add: [Decoration.widget({ widget, side: 2 }).range(at.to)] }) };
        }
      if (!transaction.docChanged && transaction.effects.some((effect) => effect.is(fitAgain)))
        next = { ...next, ...movedValues(next, transaction) };
      if (transaction.effects.some((effect) => effect.is(dimRecord))) next = { ...next, stale: true };
      for (const effect of transaction.effects)
        if (effect.is(showRecord)) next = build(transaction.state.doc, effect.value, next, onOpen);
      return next;
    },
    provide: (self) => [
      EditorView.decorations.from(self, (around) => around.values),
      EditorView.decorations.from(self, (around) => around.beside),
      EditorView.decorations.from(self, (around) => around.errors),
      EditorView.editorAttributes.from(self, (around) => ({
        class: around.stale ? 'stale' : '',
        'data-painted': String(around.version),
      })),
    ],
  });
  return [
    field,
    EditorView.editorAttributes.compute(['selection', 'doc'], ({ doc, selection }) => {
      const line = doc.lineAt(selection.main.head);
      const column = columnsOf(line.text.slice(0, selection.main.head - line.from));
      return { class: isCovered(column, room) ? 'covering' : '' };
    }),
    gutter({
      class: 'rail-gutter',
      markers: (view) => view.state.field(field).rail,
      initialSpacer: () =>
        new RailMarker({ line: 0, state: 'ran', hits: 1, heat: 1, way: false, title: '', items: [] }),
    }),
  ];
}
