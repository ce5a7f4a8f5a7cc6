/**
 * The workbench's state on the server: open files with their unsaved text, the
 * session of the pad, and the windows that look at it.
 */
import { readdirSync, realpathSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import { watch as watchFiles, type FSWatcher } from 'chokidar';
import { createSession } from '../hosts/node/index.js';
import { readText } from '../hosts/node/files.js';
import {
  chainsAt,
  consoleAt,
  errorsAt,
  historiesAt,
  historyUnder,
  visitBeside,
  type History,
  type Sample,
} from '../record/questions.js';
import type { PadRecord, RecordError } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { EXTENSIONS } from '../syntax/parse.js';
import { AnvilError } from '../syntax/problems.js';
import { addPackage, sizeOf } from '../hosts/node/packages.js';
import { TypeChecker, type TypeProblem } from '../hosts/node/types.js';
import { packageImports } from '../syntax/imports.js';
import { knobEdits } from '../syntax/knobs.js';
import { explain } from '../views/explain.js';
import { isBad, requestText, sizeText } from '../views/requests.js';
import { documentOf, type ShareFormat } from './share.js';
import { differenceLines } from '../views/difference.js';
import { ageText, durationText, errorText, gateText, linesView, seriesOf, type MarginItem } from '../views/margin.js';
import { numbersOf, shapeOf } from '../views/stream.js';
import { tapeOf } from '../views/tape.js';
import { viewsOf } from '../views/view.js';
import { plural, summaryOf } from '../views/summary.js';
import type { Entered, LiveEvent } from '../session/live/events.js';
import type { LiveSession } from '../session/live/session.js';
import { enteredBefore, rememberEntered } from './entered.js';
import { digest, Journal } from './journal.js';
import { LiveSubject, type Subject } from './subject.js';
import {
  PROTOCOL,
  type ChangeMessage,
  type ErrorMessage,
  type HistoryMessage,
  type LookedAnswer,
  type PlaceMessage,
  type RecordMessage,
  type ShownMessage,
  type StageMessage,
  type ToServer,
  type ToWindow,
} from './protocol.js';

export interface BenchOptions {
  /** Folder whose files may be opened. */
  root: string;
  /** Pad to show first. */
  pad?: string;
  journal?: Journal;
  /** Check types beside the runs. On by default. */
  types?: boolean;
  /** A program that runs already, to be looked at and changed. */
  live?: { session: LiveSession; describe(): { name: string; pid: number; since: string } };
}

export interface BenchWindow {
  send(message: ToWindow): void;
}

interface OpenFile {
  path: string;
  text: string;
  version: number;
  unsaved: boolean;
  /** Digest of the text on disk that `text` began on. */
  base: string;
  conflict: boolean;
  restored: boolean;
}

interface Viewer {
  window: BenchWindow;
  file: string | undefined;
  /** The moment that everything is shown as of; Infinity for the end. */
  until: number;
  /** What the pad shows, as it was sent last. */
  shown: PadRecord['shown'] | undefined;
  /** Console lines whose numbers are wanted, and the moment up to which they were sent. */
  follows: { shape: string; sent: number } | undefined;
  /** A record that waits to be sent, so that a chatty run does not flood the window. */
  waiting: NodeJS.Timeout | undefined;
  sentAt: number;
}

const MAX_CONSOLE = 1_000;
/** Milliseconds between two records of a program that runs on. */
const LIVE_MS = 150;
/** Changes of a live program that are listed. */
const MOST_CHANGES = 200;
const SKIPPED = new Set(['node_modules', 'dist', 'coverage']);

export class Bench {
  readonly root: string;
  private readonly journal: Journal;
  private readonly files = new Map<string, OpenFile>();
  private readonly viewers = new Set<Viewer>();
  private readonly watcher: FSWatcher;
  private readonly watched = new Set<string>();
  private session: Subject | undefined;
  private readonly live: LiveSubject | undefined;
  private readonly changes: ChangeMessage[] = [];
  private pad: string | undefined;
  private readonly moduleTexts = new Map<string, string>();
  private typesOn: boolean;
  private typeProblems: readonly TypeProblem[] = [];
  private checker: TypeChecker | undefined;
  private checking: NodeJS.Timeout | undefined;
  private checks = 0;
  /** Costs of packages by file and line, as they were asked for. */
  private sizes: readonly { file: string; line: number; text: string }[] = [];
  /** Version of each file's text that the newest run executed. */
  private ranVersions = new Map<string, number>();

  constructor(options: BenchOptions) {
    this.root = realpathSync(options.root);
    this.journal = options.journal ?? new Journal();
    this.typesOn = options.types ?? true;
    this.watcher = watchFiles([], { ignoreInitial: true });
    this.watcher.on('all', (event, path) => {
      this.diskChanged(event, path);
      // The watcher swallows a second change within 50 ms: look again when that time is over.
      setTimeout(() => this.diskChanged('change', path, true), 80).unref();
    });
    if (options.live) this.live = this.join(options.live.session);
    else if (options.pad !== undefined) this.run(realpathSync(options.pad));
    this.describe = options.live?.describe;
  }

  private readonly describe: (() => { name: string; pid: number; since: string }) | undefined;

  private join(session: LiveSession): LiveSubject {
    const live = new LiveSubject(session);
    this.session = live;
    this.pad = session.file;
    live.onRecord((record) => {
      for (const viewer of this.viewers) if (viewer.file) this.tellSoon(viewer, record);
    });
    live.onEvent((event) => this.changed(event));
    return live;
  }

  private lastTyped = false;

  private changed(event: LiveEvent): void {
    const change: ChangeMessage = {
      kind: event.kind,
      file: this.nameOf(event.file),
      text: event.text,
      details: event.details,
      at: new Date().toTimeString().slice(0, 8),
      kept: (event.plan?.notes ?? []).filter((note) => note.kind === 'kept').map((note) => note.name),
    };
    const last = this.changes[this.changes.length - 1];
    // Who types a word makes a change with each letter.
    if (
      event.typed &&
      this.lastTyped &&
      last?.kind === change.kind &&
      last.file === change.file &&
      last.text === change.text
    ) {
      this.changes.pop();
      change.times = (last.times ?? 1) + 1;
    }
    this.lastTyped = event.typed === true;
    this.changes.push(change);
    if (this.changes.length > MOST_CHANGES) this.changes.shift();
    for (const { window } of this.viewers) window.send({ type: 'changes', changes: this.changes });
    if (event.kind === 'patched') this.checkSoon(600);
    this.follow(this.session?.files ?? []);
  }

  /** Adds a window. Returns how it talks to the bench, and how it leaves. */
  connect(window: BenchWindow): { receive(message: ToServer): void; leave(): void } {
    const viewer: Viewer = {
      window,
      file: undefined,
      until: Infinity,
      shown: undefined,
      follows: undefined,
      waiting: undefined,
      sentAt: 0,
    };
    this.viewers.add(viewer);
    return {
      receive: (message) => {
        try {
          this.receive(viewer, message);
        } catch (error) {
          if (!(error instanceof AnvilError)) throw error;
          window.send({ type: 'problem', code: error.code, message: error.message });
        }
      },
      leave: () => {
        clearTimeout(viewer.waiting);
        this.viewers.delete(viewer);
        this.lookAtFiles();
      },
    };
  }

  async close(): Promise<void> {
    clearTimeout(this.checking);
    await Promise.all([this.watcher.close(), this.session?.close(), this.checker?.close()]);
  }

  private receive(viewer: Viewer, message: ToServer): void {
    switch (message.type) {
      case 'hello': {
        const pads = this.live ? this.live.files.map((file) => this.nameOf(file)) : this.pads();
        viewer.window.send({
          type: 'welcome',
          format: PROTOCOL,
          root: basename(this.root),
          pads,
          pad: this.pad ? this.nameOf(this.pad) : null,
          ...(this.describe ? { live: { ...this.describe(), entered: enteredBefore() } } : {}),
        });
        if (this.changes.length > 0) viewer.window.send({ type: 'changes', changes: this.changes });
        const first = this.pad ?? (pads[0] === undefined ? undefined : this.pathOf(pads[0]));
        if (first) this.show(viewer, first, this.pad === undefined);
        break;
      }
      case 'show':
        this.show(viewer, this.pathOf(message.file), message.run);
        break;
      case 'edit':
        this.edit(viewer, this.pathOf(message.file), message.text, message.version);
        break;
      case 'save':
        this.edit(viewer, this.pathOf(message.file), message.text, message.version, false);
        this.save(this.pathOf(message.file));
        break;
      case 'settle':
        this.settle(this.pathOf(message.file), message.take);
        break;
      case 'execute':
        this.execute();
        break;
      case 'drop':
        this.guarded(() => this.session?.drop());
        break;
      case 'stop':
        this.session?.stop();
        break;
      case 'alone': {
        const { path } = message;
        this.guarded(() => (path === null ? this.session?.execute() : this.session?.testAlone(path)));
        break;
      }
      case 'cursor':
        viewer.until = message.moment ?? Infinity;
        this.again(viewer);
        break;
      case 'step': {
        const record = this.session?.goodRecord;
        const sample =
          record &&
          visitBeside(
            record,
            { line: message.line, character: message.character, file: this.pathOf(message.file) },
            Math.min(viewer.until, record.moments + 1),
            message.by,
          );
        if (!sample) break;
        viewer.until = sample.moment;
        this.again(viewer);
        break;
      }
      case 'hover':
        this.hover(viewer, message.ask, this.pathOf(message.file), message.line, message.character);
        break;
      case 'follow':
        viewer.follows = message.shape === null ? undefined : { shape: message.shape, sent: -1 };
        if (this.session?.record) this.numbers(viewer, this.session.record);
        break;
      case 'look': {
        const { ask } = message;
        void this.session?.look(message.request).then((answer) => {
          const told: LookedAnswer =
            answer.is === 'bytes' ? { ...answer, bytes: Buffer.from(answer.bytes).toString('base64') } : answer;
          viewer.window.send({ type: 'looked', ask, answer: told });
        });
        break;
      }
      case 'turn':
        this.guarded(() => this.session?.turn(message.name, message.value));
        break;
      case 'knobs':
        if (message.do === 'reset') this.guarded(() => this.session?.resetKnobs());
        else this.writeKnobs(viewer);
        break;
      case 'act':
        this.session?.act(message.action);
        break;
      case 'data':
        this.guarded(() =>
          this.session?.setInput(
            message.text === null ? undefined : { name: message.name, bytes: Buffer.from(message.text, 'utf8') },
          ),
        );
        this.follow(this.dataFiles());
        break;
      case 'add':
        void this.add(viewer, message.package);
        break;
      case 'sizes':
        void this.tellSizes(viewer);
        break;
      case 'types':
        this.typesOn = message.on;
        this.typeProblems = [];
        if (message.on) this.checkSoon(0);
        this.tellAll();
        break;
      case 'export':
        void this.share(viewer, message.format);
        break;
      case 'inspect':
        void this.inspect(viewer, this.pathOf(message.file), message.line);
        break;
      case 'enter':
        void this.enter(viewer, message);
        break;
      case 'complete': {
        const { ask } = message;
        void this.live?.live
          .complete(this.pathOf(message.file), message.text)
          .then((found) => viewer.window.send({ type: 'completed', ask, ...found }));
        break;
      }
      case 'shut':
        void this.live?.live.openFunction(this.pathOf(message.file), undefined);
        break;
      case 'undo':
        void this.live?.live.undo().then((done) => {
          if (!done) viewer.window.send({ type: 'note', text: 'There is no change to take back.' });
        });
        break;
      case 'waiting':
        void this.live?.live.runWaiting(this.pathOf(message.file), message.line).then(() => this.tellAll());
        break;
      case 'reset':
        void this.live?.live.reset(this.pathOf(message.file), message.name).then((done) => {
          if (!done)
            viewer.window.send({
              type: 'note',
              text: `No save has given ${message.name} another first value than it lives with.`,
            });
        });
        break;
    }
  }

  /** Code for a module of a live program: what a person typed or selected, or the statement at a line. */
  private async enter(viewer: Viewer, message: Extract<ToServer, { type: 'enter' }>): Promise<void> {
    const { live } = this;
    if (!live) return;
    const { ask, line } = message;
    const path = this.pathOf(message.file);
    const found =
      message.text !== undefined
        ? { text: message.text, lastLine: line }
        : live.statementAt(path, this.open(path).text, line ?? 0);
    if (!found) {
      viewer.window.send({
        type: 'entered',
        ask,
        entered: { is: 'failed', text: 'no statement stands at this line', details: [] },
      });
      return;
    }
    if (message.remember) rememberEntered(found.text);
    const entered = await live.enter(path, found.text);
    viewer.window.send({
      type: 'entered',
      ask,
      entered,
      ...(found.lastLine === undefined ? {} : { line: found.lastLine }),
      ...textOfEntered(entered),
    });
    this.tellAll();
  }

  /** Only what a window shows is watched. */
  private lookAtFiles(): void {
    this.live?.lookAt(new Set([...this.viewers].flatMap((viewer) => (viewer.file === undefined ? [] : [viewer.file]))));
  }

  private show(viewer: Viewer, path: string, run: boolean): void {
    const file = this.open(path);
    viewer.file = path;
    const member = this.session?.files.includes(path) === true;
    if (this.live) {
      if (!member) throw new AnvilError('E_NOT_FOUND', `${this.nameOf(path)} is no module of the program that runs.`);
      this.lookAtFiles();
    } else if (run || !member) {
      if (this.pad !== path) this.run(path);
    }
    viewer.window.send({
      type: 'text',
      file: this.nameOf(path),
      text: file.text,
      unsaved: file.unsaved,
      version: file.version,
      conflict: file.conflict,
      restored: file.restored,
    });
    if (this.session?.record) this.tell(viewer, this.session.record);
  }

  private open(path: string): OpenFile {
    let file = this.files.get(path);
    if (!file) {
      const disk = readText(path);
      const base = digest(disk);
      const kept = this.journal.recall(path);
      const unsaved = kept !== undefined && kept.text !== disk;
      file = {
        path,
        text: unsaved ? kept.text : disk,
        version: 0,
        unsaved,
        base,
        conflict: unsaved && kept.base !== base,
        restored: unsaved,
      };
      this.files.set(path, file);
      this.follow([path]);
      // Opening a file is no reason to change a program that runs.
      if (unsaved && !this.live && this.session?.files.includes(path)) this.session.edit(path, file.text);
    }
    return file;
  }

  private edit(viewer: Viewer, path: string, text: string, version: number, execute = true): void {
    const file = this.open(path);
    const changed = file.text !== text;
    file.text = text;
    file.version = version;
    file.restored = false;
    if (changed) {
      if (!file.unsaved) {
        file.unsaved = true;
        this.tellState(file);
      }
      for (const other of this.viewers)
        if (other !== viewer && other.file === path)
          other.window.send({
            type: 'text',
            file: this.nameOf(path),
            text,
            unsaved: true,
            version,
            conflict: file.conflict,
            restored: false,
          });
    }
    if (!execute && !changed) return;
    this.ranVersions.set(path, version);
    for (const one of this.viewers) {
      one.until = Infinity;
      if (one.follows) one.follows.sent = -1;
    }
    try {
      this.session?.edit(path, text);
    } finally {
      // The run has only been sent off, to a process of its own: nothing it does can come before this.
      if (changed) this.journal.keep(path, text, file.base);
      this.follow(this.session?.files ?? []);
    }
  }

  private save(path: string): void {
    const file = this.open(path);
    try {
      writeFileSync(path, file.text);
    } catch (error) {
      throw new AnvilError(
        'E_WRITE',
        `${this.nameOf(path)} was not saved: ${(error as Error).message}. Its text is kept; save again when the cause is gone.`,
        {
          cause: error,
        },
      );
    }
    file.base = digest(file.text);
    file.unsaved = false;
    file.conflict = false;
    this.journal.drop(path);
    this.live?.saved(path);
    this.tellState(file);
  }

  private settle(path: string, take: 'disk' | 'mine'): void {
    const file = this.open(path);
    const disk = readText(path);
    file.base = digest(disk);
    file.conflict = false;
    if (take === 'mine') {
      this.journal.keep(path, file.text, file.base);
      this.tellState(file);
      return;
    }
    this.takeDisk(file, disk);
  }

  private takeDisk(file: OpenFile, disk: string): void {
    file.text = disk;
    file.base = digest(disk);
    file.unsaved = false;
    file.conflict = false;
    file.version++;
    this.journal.drop(file.path);
    for (const viewer of this.viewers)
      if (viewer.file === file.path)
        viewer.window.send({
          type: 'text',
          file: this.nameOf(file.path),
          text: disk,
          unsaved: false,
          version: file.version,
          conflict: false,
          restored: false,
        });
    this.ranVersions.set(file.path, file.version);
    if (this.live) this.live.saved(file.path);
    else if (this.session?.files.includes(file.path)) this.guarded(() => this.session!.edit(file.path, disk));
  }

  private diskChanged(event: string, path: string, settled = false): void {
    if (event === 'unlink') {
      // Replaced by an editor, or gone: what is open stays open.
      this.watched.delete(path);
      this.watcher.unwatch(path);
      setTimeout(() => this.follow([path]), 100);
    }
    if (this.session?.data?.file === path) {
      if (!settled) this.execute();
      return;
    }
    const file = this.files.get(path);
    if (!file) {
      if (this.session?.files.includes(path)) this.moduleChanged(path);
      return;
    }
    let disk: string;
    try {
      disk = readText(path);
    } catch {
      return;
    }
    const now = digest(disk);
    // A file that is empty now may be about to be written.
    if (now === file.base || (disk === '' && !settled)) return;
    if (disk === file.text) {
      file.base = now;
      file.unsaved = false;
      file.conflict = false;
      this.journal.drop(path);
      this.tellState(file);
    } else if (file.unsaved) {
      file.conflict = true;
      this.tellState(file);
    } else this.takeDisk(file, disk);
  }

  /** A module nobody has open changed: the pad runs again if its text is new. */
  private moduleChanged(path: string): void {
    try {
      const text = readText(path);
      if (this.moduleTexts.get(path) === text) return;
      this.moduleTexts.set(path, text);
    } catch {
      // Gone or unreadable: the run says so.
    }
    if (!this.live) this.execute();
  }

  private follow(paths: readonly string[]): void {
    for (const path of paths) {
      if (this.watched.has(path)) continue;
      this.watched.add(path);
      this.watcher.add(path);
    }
  }

  private tellState(file: OpenFile): void {
    for (const viewer of this.viewers)
      if (viewer.file === file.path)
        viewer.window.send({
          type: 'state',
          file: this.nameOf(file.path),
          unsaved: file.unsaved,
          conflict: file.conflict,
        });
  }

  /** Makes a file the pad. */
  private run(path: string): void {
    const file = this.open(path);
    const previous = this.session;
    this.pad = path;
    const session = createSession({ file: path, text: file.text, cwd: this.root });
    this.session = session;
    void previous?.close();
    for (const other of this.files.values())
      if (other.unsaved && other.path !== path) this.guarded(() => session.edit(other.path, other.text));
    session.onRecord((record) => {
      if (this.session !== session) return;
      for (const viewer of this.viewers) if (viewer.file) this.tellSoon(viewer, record);
      if (record.ended) {
        this.checkSoon(this.checker ? 150 : 600);
        this.follow(this.dataFiles());
      }
    });
    this.execute();
    session.rehearse();
  }

  /** The file that `input` reads is watched like the pad itself. */
  private dataFiles(): string[] {
    const file = this.session?.data?.file;
    return file === undefined ? [] : [file];
  }

  private tellAll(): void {
    for (const viewer of this.viewers) if (viewer.file && this.session?.record) this.tell(viewer, this.session.record);
  }

  /** Types are looked at when a run is over, so that no value waits for them. */
  private checkSoon(ms: number): void {
    clearTimeout(this.checking);
    const { session } = this;
    if (!this.typesOn || !session) return;
    this.checking = setTimeout(() => {
      const check = ++this.checks;
      const files = session.files.flatMap((file) => {
        try {
          return [{ file, text: session.textOf(file) }];
        } catch {
          return [];
        }
      });
      if (!files.some(({ file }) => /\.[mc]?tsx?$/.test(file))) return;
      this.checker ??= new TypeChecker();
      void this.checker.check(session.options.file, files).then((problems) => {
        if (check !== this.checks || !this.typesOn || this.session !== session) return;
        if (JSON.stringify(problems) === JSON.stringify(this.typeProblems)) return;
        this.typeProblems = problems;
        this.tellAll();
      });
    }, ms);
  }

  /** What stands in the source becomes what the knobs are turned to. */
  private writeKnobs(viewer: Viewer): void {
    const { session, pad } = this;
    const turned = session?.turned;
    if (!session || !pad || !turned || turned.size === 0) return;
    const file = this.open(pad);
    const edits = knobEdits(pad, file.text, turned);
    if (edits.length === 0) {
      viewer.window.send({ type: 'note', text: 'No knob of this file has a plain first value to write over.' });
      return;
    }
    session.forgetKnobs();
    viewer.window.send({ type: 'rewrite', file: this.nameOf(pad), edits });
  }

  private async add(viewer: Viewer, name: string): Promise<void> {
    const { pad } = this;
    if (!pad) return;
    const say = (text: string): void => {
      for (const { window } of this.viewers) window.send({ type: 'busy', text });
    };
    say(`Adding ${name}…`);
    try {
      const added = await addPackage(name, {
        folder: dirname(pad),
        progress: (text) => say(`Adding ${name}: ${text}`),
      });
      viewer.window.send({
        type: 'note',
        text: `${added.name} ${added.version} is there, in ${this.nameOf(added.folder)}.`,
      });
      this.execute();
    } catch (error) {
      const { code, message } = error instanceof AnvilError ? error : { code: 'E_INSTALL', message: String(error) };
      viewer.window.send({ type: 'problem', code, message });
    } finally {
      say('');
    }
  }

  private async tellSizes(viewer: Viewer): Promise<void> {
    const path = viewer.file;
    if (!path) return;
    const imports = packageImports(path, this.open(path).text);
    if (imports.length === 0) {
      viewer.window.send({ type: 'note', text: 'This file imports no packages.' });
      return;
    }
    viewer.window.send({ type: 'busy', text: 'Bundling what is imported…' });
    this.sizes = await Promise.all(
      imports.map(async ({ specifier, names, line }) => {
        try {
          const { minified, gzipped } = await sizeOf(specifier, names, path);
          return { file: path, line, text: `${sizeText(minified)} minified, ${sizeText(gzipped)} with gzip` };
        } catch (error) {
          return { file: path, line, text: error instanceof Error ? error.message : String(error) };
        }
      }),
    );
    viewer.window.send({ type: 'busy', text: '' });
    this.tellAll();
  }

  private async share(viewer: Viewer, format: ShareFormat): Promise<void> {
    const record = this.session?.goodRecord;
    if (!record) return;
    viewer.window.send({ type: 'busy', text: `Making ${format.toUpperCase()}…` });
    try {
      const made = await documentOf(record, format, {
        name: this.nameOf(record.file),
        cwd: this.root,
        ...(viewer.until < record.moments ? { until: viewer.until } : {}),
      });
      const name = `${basename(record.file).replace(/\.[^.]+$/, '')}.${format}`;
      viewer.window.send({ type: 'document', name, mime: MIME[format], base64: Buffer.from(made).toString('base64') });
    } catch (error) {
      const { code, message } = error instanceof AnvilError ? error : { code: 'E_FORMAT', message: String(error) };
      viewer.window.send({ type: 'problem', code, message });
    } finally {
      viewer.window.send({ type: 'busy', text: '' });
    }
  }

  /** Sends a record at once, or a little later when the run goes on and much of it was sent just now. */
  private tellSoon(viewer: Viewer, record: PadRecord): void {
    this.numbers(viewer, record);
    clearTimeout(viewer.waiting);
    const weight = Math.min(record.console.length, MAX_CONSOLE) + record.errors.length;
    if (this.live) {
      const left = viewer.sentAt + LIVE_MS - Date.now();
      if (left <= 0) this.tell(viewer, record);
      else viewer.waiting = setTimeout(() => this.tell(viewer, this.live!.record), left);
      return;
    }
    const wait = record.ended || weight < 100 ? 0 : viewer.sentAt + 250 - Date.now();
    if (wait <= 0) this.tell(viewer, record);
    else viewer.waiting = setTimeout(() => this.tell(viewer, record), wait);
  }

  /** Sends the numbers of the lines that came since the last time. */
  private numbers(viewer: Viewer, record: PadRecord): void {
    const { follows } = viewer;
    if (!follows) return;
    const { console } = record;
    const last = console[console.length - 1]?.moment ?? 0;
    // Moments of a new run begin anew.
    if (last < follows.sent) follows.sent = -1;
    const fresh = follows.sent < 0;
    let from = console.length;
    while (from > 0 && console[from - 1]!.moment > follows.sent) from--;
    const points: number[][] = [];
    for (const entry of console.slice(from))
      if (shapeOf(entry.text) === follows.shape) points.push([entry.time, ...numbersOf(entry.text)]);
    follows.sent = Math.max(last, 0);
    if (points.length > 0 || fresh) viewer.window.send({ type: 'numbers', points, fresh });
  }

  /** Sends a record, and what it shows on purpose where that is new. */
  private tell(viewer: Viewer, record: PadRecord): void {
    viewer.sentAt = Date.now();
    viewer.window.send(this.recordMessage(this.live?.recordFor(viewer.file!) ?? record, viewer.file!, viewer.until));
    // A run that has just begun shows nothing yet: what the last one showed stays until then.
    if (record.target === 'none' || viewer.shown === record.shown || (record.shown.length === 0 && !record.ended))
      return;
    viewer.shown = record.shown;
    viewer.window.send({
      type: 'shown',
      pad: this.nameOf(record.file),
      shown: record.shown.filter((one) => one.kind !== 'note').map((one) => this.shownMessage(one)),
    });
  }

  /** The same record once more, as of another moment. */
  private again(viewer: Viewer): void {
    const record = this.session?.goodRecord;
    if (record && viewer.file) viewer.window.send(this.recordMessage(record, viewer.file, viewer.until));
  }

  private shownMessage(one: PadRecord['shown'][number]): ShownMessage {
    const { pixels, value } = one;
    return {
      id: one.id,
      kind: one.kind,
      title: one.title ?? '',
      ...(one.file !== undefined && one.line !== undefined
        ? { at: { file: this.nameOf(one.file), line: one.line, character: 0 } }
        : {}),
      ...(value ? { views: viewsOf(value), text: valueText(value, 2_000) } : {}),
      ...(one.width !== undefined && one.height !== undefined ? { width: one.width, height: one.height } : {}),
      ...(one.calls ? { calls: one.calls } : {}),
      ...(pixels
        ? {
            pixels: {
              block: pixels.block,
              columns: pixels.columns,
              rows: pixels.rows,
              rgba: Buffer.from(pixels.rgba).toString('base64'),
              ...(pixels.values
                ? {
                    values: Array.from(pixels.values, (number) =>
                      Number.isFinite(number) ? Number(number.toPrecision(6)) : null,
                    ),
                  }
                : {}),
            },
          }
        : {}),
    };
  }

  private hover(viewer: Viewer, ask: number, path: string, line: number, character: number): void {
    const record = this.session?.goodRecord;
    const history = record && historyUnder(record, { line, character, file: path }, viewer.until);
    const chain = record && chainsAt(record, { line, file: path }, viewer.until)[0];
    if (!history) {
      viewer.window.send({
        type: 'hovered',
        ask,
        path: 'it',
        text: '',
        detail: '',
        stages: chain?.stages.map(stageMessage) ?? [],
        openable: false,
        moment: 0,
        views: [],
      });
      return;
    }
    const last = history.at(history.length - 1);
    viewer.window.send({
      type: 'hovered',
      ask,
      path: pathOf(history),
      text: `${history.name ? `${history.name}: ` : ''}${valueText(last.value, 1_200)}`,
      detail:
        history.total > 1
          ? `visit ${last.visit.toLocaleString('en-US')} of ${history.total.toLocaleString('en-US')}`
          : history.kind,
      stages: chain?.stages.map(stageMessage) ?? [],
      openable: isOpenable(last),
      moment: last.moment,
      views: viewsOf(last.value).slice(0, 2),
    });
  }

  private execute(): void {
    this.guarded(() => this.session?.execute());
    this.follow(this.session?.files ?? []);
  }

  /** Runs something that may refuse, and tells all windows why. */
  private guarded(action: () => void): void {
    try {
      action();
    } catch (error) {
      if (!(error instanceof AnvilError)) throw error;
      for (const { window } of this.viewers) window.send({ type: 'problem', code: error.code, message: error.message });
    }
  }

  private async inspect(viewer: Viewer, path: string, shownLine: number): Promise<void> {
    let line = shownLine;
    if (this.live) {
      // In a program that runs on, values are taken where somebody looks.
      const at = this.live.lineOut(path, this.open(path).text)(shownLine);
      if (at === undefined) return;
      line = at;
      await this.live.live.openFunction(path, line);
    }
    const record = this.session?.goodRecord;
    if (!record) return;
    viewer.window.send({
      type: 'inspected',
      file: this.nameOf(path),
      line: shownLine,
      histories: historiesAt(record, { line, file: path }, viewer.until)
        .filter((history) => history.kind !== 'stage')
        .map(historyMessage),
      chains: chainsAt(record, { line, file: path }, viewer.until).map((chain) => ({
        text: `lines ${chain.range.start.line + 1} to ${chain.range.end.line + 1}`,
        stages: chain.stages.map(stageMessage),
      })),
    });
  }

  private recordMessage(record: PadRecord, path: string, asked: number): RecordMessage {
    const until = asked < record.moments ? asked : Infinity;
    const stale = record.target === 'none';
    const lines = this.linesOf(record, path, until);
    const place = (file: string, at: { line: number; character: number }, asIs = false): PlaceMessage => ({
      file: this.nameOf(file),
      line: (asIs ? undefined : this.live?.lineIn(file, this.files.get(file)?.text)(at.line)) ?? at.line,
      character: at.character,
    });
    const explained = (error: RecordError): Pick<ErrorMessage, 'reason' | 'hint' | 'values' | 'path' | 'package'> => {
      const { reason, hint, values, path: steps } = explain(record, error);
      return {
        reason,
        hint,
        values,
        ...(error.package === undefined ? {} : { package: error.package }),
        path: steps.map((step) =>
          'folded' in step
            ? { folded: `${plural(step.folded, 'frame')} of ${step.of}` }
            : {
                name: step.frame.name,
                at: place(step.frame.file, step.frame.range.start),
                ...(step.times ? { times: step.times } : {}),
                ...(step.frame.isAsync ? { isAsync: true as const } : {}),
              },
        ),
      };
    };
    const message = (error: RecordError, test?: string): ErrorMessage => ({
      moment: error.moment,
      text: errorText(error),
      kind: error.kind,
      at: place(error.file, error.range.start, error.kind === 'syntax'),
      endCharacter:
        error.range.end.line === error.range.start.line ? error.range.end.character : error.range.start.character + 1,
      ...(test === undefined ? {} : { test }),
      ...(error.expected ? { expected: valueText(error.expected, 1_000) } : {}),
      ...(error.received ? { received: valueText(error.received, 1_000) } : {}),
      ...(error.differences && error.differences.list.length > 0
        ? { differences: differenceLines(error.differences) }
        : {}),
      ...explained(error),
      causes: [...(error.cause ? [errorText(error.cause)] : []), ...(error.errors ?? []).map(errorText)],
    });
    const placed = (
      frame: { file: string; line: number; character: number } | undefined,
    ): { at: PlaceMessage } | undefined =>
      frame && { at: place(frame.file, { line: Math.max(0, frame.line), character: Math.max(0, frame.character) }) };
    const printed = consoleAt(record, until);
    const shown =
      printed.length > MAX_CONSOLE
        ? [...printed.slice(0, MAX_CONSOLE / 2), ...printed.slice(-MAX_CONSOLE / 2)]
        : printed;
    const errors = errorsAt(record, until).map((error) => message(error));
    for (const test of record.tests)
      if (test.error && test.state === 'failed' && test.error.moment <= until)
        errors.push(message(test.error, [...test.path, test.name].join(' > ')));
    if (until === Infinity && record.stop && record.outcome === 'stopped') {
      const at = record.stop.range?.start ?? { line: 0, character: 0 };
      errors.push({
        moment: record.moments,
        text: `stopped: ${record.stop.message}`,
        kind: 'stopped',
        at: place(record.stop.file ?? record.file, at),
        endCharacter: at.character,
        reason: '',
        hint: '',
        values: [],
        path: [],
        causes: [],
      });
    }
    const data = this.session?.data;
    const ages = [...record.kept.values()].flatMap(({ ageMs }) => (ageMs ? [ageMs] : []));
    return {
      type: 'record',
      pad: this.nameOf(record.file),
      file: this.nameOf(path),
      version: this.ranVersions.get(path) ?? 0,
      outcome: record.outcome,
      ended: record.ended,
      stale,
      summary: summaryOf(
        record.live && this.describe
          ? { ...record, live: { ...record.live, where: this.live!.live.whereabouts(this.describe().pid) } }
          : record,
      ),
      moments: record.moments,
      cursor: until === Infinity ? null : until,
      tape: tapeOf(record),
      lines,
      console: shown.map((entry) => ({
        moment: entry.moment,
        parts: entry.args.flatMap((value, part) =>
          value.type === 'object' || value.type === 'function' ? [{ part, text: valueText(value, 60) }] : [],
        ),
        level: entry.level,
        text: entry.text,
        indent: entry.indent,
        ...(entry.file && entry.range ? { at: place(entry.file, entry.range.start) } : {}),
        ...(entry.table ? { table: entry.table } : {}),
      })),
      knobs: record.knobs.map(({ frame, moment: _moment, ...knob }) => ({ ...knob, ...placed(frame) })),
      gates: record.gates.map((gate) => ({
        id: gate.id,
        name: gate.name,
        state: gate.state,
        text: gateText(gate),
        moment: gate.moment,
        ...placed(gate.frame),
      })),
      requests: record.requests
        .filter((request) => request.moment <= until)
        .slice(-300)
        .map((request) => ({
          id: request.id,
          moment: request.bodyMoment ?? request.moment,
          bad: isBad(request),
          state: request.state,
          text: requestText(request),
          url: request.url,
          ...placed(request.frames[0]),
          sent: request.sent ?? [],
          got: request.got ?? [],
          timing: timingText(request),
          ...(request.body ? { body: valueText(request.body, 2_000) } : {}),
          openable: request.body !== undefined && (request.body.type === 'object' || request.body.size !== undefined),
        })),
      pending:
        until < Infinity
          ? []
          : [
              ...record.waits.map((wait) => ({
                text: `${wait.count > 1 ? `${wait.count} awaits` : 'an await'}, since ${durationText(Math.max(0, wait.since))} after the start${record.ended ? '; never came' : ''}`,
                ...placed(wait),
              })),
              ...record.timers.map((timer) => ({
                timer: timer.id,
                text: `${timer.repeats ? 'an interval of' : 'a timer of'} ${durationText(timer.delay)}, fired ${plural(timer.fired, 'time')}`,
                ...placed(timer.frame),
              })),
            ],
      ...(data ? { data: data.name } : {}),
      ...(this.live ? { live: this.liveOf(path) } : {}),
      ...(ages.length > 0 ? { kept: { count: ages.length, age: ageText(Math.max(...ages)) } } : {}),
      consoleOmitted: (until === Infinity ? record.consoleOmitted : 0) + printed.length - shown.length,
      errors,
      tests: record.tests
        .filter((test) => test.moment <= until)
        .map((test) => ({
          id: test.id,
          parent: test.parent,
          suite: test.suite,
          passed: test.passed,
          ...(test.reason === undefined ? {} : { reason: test.reason }),
          ...(test.notes ? { notes: test.notes } : {}),
          ...(test.reused ? { reused: true } : {}),
          name: test.name,
          path: test.path,
          state: test.state,
          durationMs: test.durationMs,
          at: place(test.file, { line: test.line, character: 0 }),
        })),
    };
  }

  /** The lines of a file, with what types and sizes add; errors of the run come before both. */
  private linesOf(record: PadRecord, path: string, until: number): RecordMessage['lines'] {
    const views = linesView(record, path, until);
    const add = (line: number, item: MarginItem): void => {
      let view = views.get(line);
      if (!view) views.set(line, (view = { line, state: 'none', hits: 0, heat: 0, way: false, title: '', items: [] }));
      view.items.push(item);
    };
    for (const { file, line, text } of this.sizes) if (file === path) add(line, { kind: 'note', text, title: text });
    for (const problem of this.typesOn ? this.typeProblems : []) {
      if (problem.file !== path) continue;
      const [first] = problem.message.split('\n');
      add(problem.start.line, {
        kind: 'type',
        text: `type: ${first!}`,
        title: `TypeScript ${problem.code}: ${problem.message}`,
      });
    }
    const at = record.target === 'none' ? undefined : this.live?.lineIn(path, this.files.get(path)?.text);
    return [...views.values()]
      .flatMap((view) => {
        const line = at ? at(view.line) : view.line;
        return line === undefined ? [] : [{ ...view, line }];
      })
      .sort((a, b) => a.line - b.line);
  }

  private liveOf(path: string): NonNullable<RecordMessage['live']> {
    const { live } = this.live!;
    const opened = live.openedFunction(path);
    return {
      ...(opened === undefined ? {} : { opened }),
      waiting: (live.waitingStatements.get(path) ?? []).map(({ line, text }) => ({ line, text })),
    };
  }

  /** Name of a file for people: its path below the root. */
  private nameOf(path: string): string {
    const name = relative(this.root, path);
    return name.startsWith('..') ? path : name.split(sep).join('/');
  }

  /** A file a window may open: below the root, or a module of the pad that runs. */
  private pathOf(name: string): string {
    const path = resolve(this.root, name);
    let real: string;
    try {
      real = realpathSync(path);
    } catch {
      if (this.files.has(path)) return path;
      throw new AnvilError('E_NOT_FOUND', `${name} does not exist. Check the path.`);
    }
    const inside = real === this.root || real.startsWith(this.root + sep);
    if (!inside && this.session?.files.includes(real) !== true)
      throw new AnvilError('E_NOT_FOUND', `${name} is not below the folder that is open.`);
    return real;
  }

  /** Files that can run as a pad, below the root. */
  private pads(): string[] {
    const found: string[] = [];
    const visit = (folder: string, depth: number): void => {
      let names: string[];
      try {
        names = readdirSync(folder).sort();
      } catch {
        return;
      }
      for (const name of names) {
        if (name.startsWith('.') || SKIPPED.has(name) || found.length >= 500) continue;
        const path = join(folder, name);
        let directory = false;
        try {
          directory = statSync(path).isDirectory();
        } catch {
          continue;
        }
        if (directory) {
          if (depth < 4) visit(path, depth + 1);
        } else if (EXTENSIONS.some((extension) => name.toLowerCase().endsWith(extension)) && !name.endsWith('.d.ts'))
          found.push(this.nameOf(path));
      }
    };
    visit(this.root, 0);
    return found;
  }
}

const MIME: Record<ShareFormat, string> = {
  html: 'text/html',
  md: 'text/markdown',
  svg: 'image/svg+xml',
  png: 'image/png',
  json: 'application/json',
};

function timingText(request: PadRecord['requests'][number]): string {
  const head = request.headMs === undefined ? '' : `head after ${durationText(request.headMs)}`;
  return [
    `begun ${durationText(Math.max(0, request.since))} after the start`,
    head,
    request.tookMs === undefined ? '' : `over after ${durationText(request.tookMs)}`,
  ]
    .filter(Boolean)
    .join(', ');
}

/** The value that something entered gave, as text. */
function textOfEntered(entered: Entered): { text?: string } {
  return entered.is === 'done' && entered.result ? { text: valueText(entered.result.value, 2_000) } : {};
}

/** Samples of one site that are sent: the first and the last. */
const MOST_SAMPLES = 200;

function historyMessage(history: History): HistoryMessage {
  const { length } = history;
  const half = MOST_SAMPLES / 2;
  const chosen =
    length <= MOST_SAMPLES
      ? history.samples
      : [...Array(half).keys()]
          .map((i) => history.at(i))
          .concat([...Array(half).keys()].map((i) => history.at(length - half + i)));
  const series = length > 2 ? seriesOf(history, 240) : undefined;
  return {
    site: history.site,
    name: history.name,
    kind: history.kind,
    visits: history.visits,
    total: history.total,
    ...(history.mark ? { mark: history.mark } : {}),
    ...(history.mark?.verb === 'table'
      ? { views: viewsOf(history.at(length - 1).value).filter((view) => view.view === 'table') }
      : {}),
    samples: chosen.map((sample) => ({
      visit: sample.visit,
      moment: sample.moment,
      text: valueText(sample.value, 2_000),
      openable: isOpenable(sample),
    })),
    omitted: length - chosen.length,
    ...(series ? { series } : {}),
    path: pathOf(history),
  };
}

/** How code reaches the value of a history, where it has a name. */
function pathOf(history: History): string {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$.]*$/u.test(history.name) ? history.name : 'it';
}

function isOpenable({ value }: Sample): boolean {
  return value.type === 'object' || value.type === 'function' || (value.type === 'string' && value.size !== undefined);
}

function stageMessage(sample: Sample): StageMessage {
  const { value } = sample;
  const size =
    value.form === 'array' || value.form === 'typed' || value.form === 'set' || value.form === 'map'
      ? `${(value.size ?? 0).toLocaleString('en-US')} ${value.size === 1 ? 'item' : 'items'}`
      : value.type === 'string'
        ? `${(value.size ?? value.text?.length ?? 0).toLocaleString('en-US')} characters`
        : '';
  return {
    name: sample.kind === 'stage' ? `${sample.name}()` : sample.name || 'result',
    size,
    text: valueText(value, 240),
    moment: sample.moment,
    openable: isOpenable(sample),
  };
}
