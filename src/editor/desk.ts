/**
 * What an editor has open, and which bench serves each file: a pad that runs, a live program that has loaded it, or a
 * pad that it is a module of. A file about which nobody has said anything is served by none, and never runs for being
 * opened.
 */
import { join, sep } from 'node:path';
import type { TextDocument } from 'vscode-languageserver-textdocument';
import { stateFolder } from '../hosts/node/state-folder.js';
import { AnvilError } from '../syntax/problems.js';
import type { ToWindow } from '../server/protocol.js';
import { Habits } from '../server/workbench/habits.js';
import { callingPad } from '../server/workbench/trying.js';
import { type Bench, type CallingPad, PadBench } from './bench.js';
import { type OpenFile, OpenFiles, textOf } from './open-files.js';
import { Programs } from './programs.js';
import { Resting } from './resting.js';
import { Seat } from './seat.js';

/** Pads whose threads are kept; those that rested longest give theirs up, and keep what they showed. */
const MOST_AWAKE = 4;

/** Milliseconds for which a question waits for a pad that wakes. */
const WAKES_MS = 3_000;

export interface DeskEvents {
  /** What is known of a file is new. */
  changed(file: OpenFile): void;
  told(file: OpenFile, message: ToWindow): void;
  /** Programs came or went. */
  programs(): void;
}

export class Desk {
  readonly files = new OpenFiles();
  readonly programs: Programs;
  private readonly pads = new Map<string, PadBench>();
  private readonly seats = new Map<string, Seat>();
  /** Pads that a person wants to run, also while they rest. */
  private readonly on = new Set<string>();
  private readonly habits: Habits;
  private readonly resting = new Resting(() => {
    for (const path of [...this.pads.keys()]) void this.sleep(path);
  });

  constructor(
    private readonly events: DeskEvents,
    private readonly options: { state?: string } = {},
  ) {
    this.habits = new Habits(join(options.state ?? stateFolder(), 'habits'));
    this.programs = new Programs(() => {
      this.placeAll();
      events.programs();
    });
  }

  /** What serves a file, as the window that it has there. */
  seat(uri: string): Seat | undefined {
    return this.seats.get(uri);
  }

  /** It runs as a pad, or did until its threads were given up. */
  isOn(path: string): boolean {
    return this.on.has(path);
  }

  open(document: TextDocument): OpenFile | undefined {
    const file = this.files.open(document);
    if (!file) return undefined;
    this.resting.touched();
    for (const bench of this.pads.values()) bench.texts.hold(file.path, textOf(document));
    // What a person has run before runs again.
    if (!file.untitled && !this.programs.of(file.path) && this.habits.of(file.path).when !== 'command') this.run(file);
    else this.place(file);
    return file;
  }

  change(uri: string): void {
    const file = this.files.get(uri);
    if (!file) return;
    this.resting.touched();
    if (this.on.has(file.path)) this.wake(file);
    else this.wakePadOf(uri);
    const text = textOf(file.document);
    for (const bench of this.pads.values()) {
      const shown = [...this.seats.values()].filter((seat) => seat.bench === bench && !seat.isPending);
      // Before, for what comes of it may be told at once.
      for (const seat of shown) seat.expect();
      if (!bench.texts.hold(file.path, text)) for (const seat of shown) seat.settle();
    }
    this.seats.get(uri)?.hold();
  }

  saved(uri: string): void {
    const file = this.files.get(uri);
    if (!file) return;
    file.savedText = textOf(file.document);
    for (const bench of this.pads.values()) bench.texts.saved(file.path);
    this.seats.get(uri)?.stored();
    this.events.changed(file);
  }

  async close(uri: string): Promise<void> {
    const file = this.files.close(uri);
    if (!file) return;
    this.unseat(uri);
    if (this.files.at(file.path)) return;
    for (const bench of this.pads.values()) bench.texts.release(file.path);
    this.on.delete(file.path);
    await this.sleep(file.path);
    this.placeAll();
  }

  /**
   * A file runs as a pad from now on, at each edit; it is remembered.
   *
   * @throws AnvilError `E_NOT_A_PAD` for a component
   */
  run(file: OpenFile, path?: readonly string[]): void {
    if (!file.isPad)
      throw new AnvilError(
        'E_NOT_A_PAD',
        'A component runs in the page that its development server makes: usher-anvil live -- npm run dev.',
      );
    this.on.add(file.path);
    if (!file.untitled && this.habits.of(file.path).when === 'command') this.habits.choose(file.path, { when: 'edit' });
    if (path) this.runAlone(file, path);
    else if (!this.wake(file)) this.seats.get(file.uri)?.send({ type: 'execute' });
  }

  /** One test runs, and no other before it; at the next edit all of them do. */
  private runAlone(file: OpenFile, path: readonly string[]): void {
    const isNew = !this.pads.has(file.path) && !file.untitled;
    const { when } = this.habits.of(file.path);
    if (isNew) this.habits.choose(file.path, { when: 'command' });
    this.wake(file);
    const seat = this.seats.get(file.uri);
    seat?.expect();
    seat?.send({ type: 'alone', path: [...path] });
    if (!isNew) return;
    this.habits.choose(file.path, { when });
    seat?.send({ type: 'when', when });
  }

  /** It runs as a pad no more, and not when it is opened again. */
  async rest(file: OpenFile): Promise<void> {
    this.on.delete(file.path);
    if (!file.untitled) this.habits.choose(file.path, { when: 'command' });
    this.unseat(file.uri);
    await this.sleep(file.path);
    this.placeAll();
    this.events.changed(file);
  }

  /** What a person asks for by a command needs a pad that is awake; what is only looked at is told from its record. */
  async awake(uri: string): Promise<Seat | undefined> {
    const file = this.files.get(uri);
    if (file && this.on.has(file.path) && this.wake(file)) await this.seats.get(uri)?.settled(WAKES_MS);
    return this.seats.get(uri);
  }

  /** A file, or a folder, has another path: what was chosen for files goes along, and what ran runs there. */
  renamed(from: string, to: string): void {
    for (const file of this.files.all) {
      if (file.path !== to && !file.path.startsWith(to + sep)) continue;
      const before = from + file.path.slice(to.length);
      const { when, careful } = this.habits.of(before);
      if (when === 'command' || this.on.has(file.path)) continue;
      this.habits.choose(file.path, { when, ...(careful === undefined ? {} : { careful }) });
      this.habits.choose(before, { when: 'command' });
      this.run(file);
    }
  }

  /** A pad that calls the function at a place of a file. @throws AnvilError `E_CANNOT_TRY` where that cannot be */
  callingPad(file: OpenFile, place: { line: number; character: number }): Promise<CallingPad> {
    const at = { file: file.path, ...place };
    const folder = this.files.folders[0] ?? file.root;
    const bench = this.seats.get(file.uri)?.bench;
    return bench instanceof PadBench
      ? bench.callingPad(at, folder)
      : callingPad({ text: textOf(file.document), folder, at });
  }

  /** The process ends by itself at once: what can be done without waiting. */
  leave(): void {
    for (const bench of this.pads.values()) bench.leave();
  }

  async end(): Promise<void> {
    this.resting.end();
    for (const uri of [...this.seats.keys()]) this.unseat(uri);
    await Promise.all([this.programs.close(), ...[...this.pads.keys()].map((path) => this.sleep(path))]);
  }

  /** A module that is edited wakes the pad that it belongs to. */
  private wakePadOf(uri: string): void {
    const bench = this.seats.get(uri)?.bench;
    const pad = bench instanceof PadBench && this.rests(bench) ? this.files.at(bench.pad) : undefined;
    if (pad && this.on.has(pad.path)) this.wake(pad);
  }

  private rests(bench: PadBench): boolean {
    return this.pads.get(bench.pad) !== bench;
  }

  /** The bench of a pad, made where it has none. @returns true where it was made, and runs */
  private wake(file: OpenFile): boolean {
    const { path, root } = file;
    const known = this.pads.get(path);
    if (known) {
      // The last is the one that was used last.
      this.pads.delete(path);
      this.pads.set(path, known);
      return false;
    }
    // What has no file yet is its person's own, and means to run; of the rest, what it may do is asked.
    const bench = new PadBench(path, root, { ownPads: file.untitled, ...this.options });
    for (const other of this.files.all) bench.texts.hold(other.path, textOf(other.document));
    this.pads.set(path, bench);
    this.place(file);
    for (const rested of [...this.pads.keys()].slice(0, Math.max(0, this.pads.size - MOST_AWAKE)))
      void this.sleep(rested);
    return true;
  }

  private async sleep(path: string): Promise<void> {
    const bench = this.pads.get(path);
    this.pads.delete(path);
    await bench?.close();
  }

  /** Gives a file the window that it is to have now. */
  private place(file: OpenFile): void {
    const { uri, path } = file;
    const seat = this.seats.get(uri);
    const bench = this.benchFor(path);
    if (seat && (seat.bench === bench || (bench === undefined && this.on.has(path)))) return;
    this.unseat(uri);
    if (!bench) {
      // What served it is gone.
      if (seat) this.events.changed(file);
      return;
    }
    const made: Seat = new Seat(bench, path, () => textOf(file.document), {
      record: () => {
        if (this.seats.get(uri) !== made) return;
        if (bench.kind === 'pad') this.placeModules(bench);
        this.events.changed(file);
      },
      told: (message) => {
        if (this.seats.get(uri) === made) this.events.told(file, message);
      },
    });
    // What rested shows what it showed until it has run again.
    if (seat && this.on.has(path)) made.inherit(seat);
    this.seats.set(uri, made);
    made.expect();
    made.show(bench instanceof PadBench && bench.pad === path);
    this.events.changed(file);
  }

  /** Modules of a pad that are open and shown by nobody else are shown by it. */
  private placeModules(bench: Bench): void {
    for (const file of this.files.all) {
      if (!bench.files.includes(file.path)) continue;
      const shown = this.seats.get(file.uri)?.bench;
      if (!shown || (shown !== bench && shown instanceof PadBench && this.rests(shown))) this.place(file);
    }
  }

  private placeAll(): void {
    for (const file of this.files.all) this.place(file);
  }

  private benchFor(path: string): Bench | undefined {
    const own = this.pads.get(path);
    if (own) return own;
    if (this.on.has(path)) return undefined;
    return this.programs.of(path) ?? [...this.pads.values()].reverse().find((one) => one.files.includes(path));
  }

  private unseat(uri: string): void {
    this.seats.get(uri)?.leave();
    this.seats.delete(uri);
  }
}
