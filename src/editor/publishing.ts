/** What the client is told by itself: diagnostics, the lane, the state of files, and that it may ask again. */
import type { Connection, Diagnostic } from 'vscode-languageserver';
import type { Desk } from './desk.js';
import { diagnosticsOf } from './diagnostics.js';
import { LANE, type LaneParams, STATUS, type StatusParams } from './extra-messages.js';
import type { OpenFile } from './open-files.js';
import type { Seat } from './seat.js';
import { shownLines } from './shown.js';
import type { Abilities } from './abilities.js';

/** Milliseconds in which what is new of several files is told at once. */
const TOGETHER_MS = 15;
/** Milliseconds between two times that lenses are made anew: they push lines apart. */
const LENSES_MS = 300;

export class Publishing {
  private readonly changed = new Set<string>();
  private timer: NodeJS.Timeout | undefined;
  private lensTimer: NodeJS.Timeout | undefined;
  /** Diagnostics of the record that each open file shows, by address and path. */
  private readonly found = new Map<string, Map<string, Diagnostic[]>>();
  /** Diagnostics as they were told last, by address. */
  private readonly told = new Map<string, string>();
  private readonly states = new Map<string, string>();
  private lensKey = '';

  constructor(
    private readonly connection: Connection,
    private readonly desk: Desk,
    private readonly abilities: Abilities,
  ) {}

  /** What is known of a file is new. */
  file(file: OpenFile): void {
    // What a person waits for leaves at once.
    if (this.abilities.lane) this.tellLane(file);
    this.changed.add(file.uri);
    this.timer ??= setTimeout(() => {
      this.timer = undefined;
      this.publish();
    }, TOGETHER_MS);
  }

  /** A file is not open any more. */
  closed(uri: string): void {
    this.states.delete(uri);
    this.changed.add(uri);
    this.publish();
  }

  end(): void {
    clearTimeout(this.timer);
    clearTimeout(this.lensTimer);
  }

  private tellLane(file: OpenFile): void {
    const seat = this.desk.seat(file.uri);
    // Of what has not run there is nothing to draw.
    if (!seat?.record && file.sizes.length === 0) return;
    const { lines, earlier } = shownLines(seat, file);
    const part = seat?.record?.part;
    const { uri, document } = file;
    const told: LaneParams = { uri, version: document.version, lines, ...(part ? { part } : {}), earlier };
    void this.connection.sendNotification(LANE, told);
  }

  private publish(): void {
    this.diagnose();
    if (this.abilities.lane) for (const file of this.desk.files.all) this.tellStatus(file);
    this.changed.clear();
    const { refresh } = this.abilities;
    if (refresh.hints) void this.connection.languages.inlayHint.refresh();
    if (refresh.tokens) void this.connection.languages.semanticTokens.refresh();
    if (refresh.lenses) this.lensTimer ??= setTimeout(() => this.refreshLenses(), LENSES_MS);
  }

  /** Lenses change with what can be done, which is seldom. */
  private refreshLenses(): void {
    this.lensTimer = undefined;
    const key = [...this.desk.files.all].map((file) => lensKeyOf(file, this.desk)).join('\n');
    if (key === this.lensKey) return;
    this.lensKey = key;
    void this.connection.languages.connection.sendRequest('workspace/codeLens/refresh').catch(() => undefined);
  }

  private diagnose(): void {
    for (const uri of this.changed) {
      const seat = this.desk.seat(uri);
      if (seat) this.found.set(uri, diagnosticsOf(seat, this.desk.files));
      else this.found.delete(uri);
    }
    const all = new Map<string, Diagnostic[]>();
    for (const byPath of this.found.values())
      for (const [path, list] of byPath) {
        const uri = this.desk.files.uriOf(path);
        all.set(uri, joined(all.get(uri) ?? [], list));
      }
    for (const uri of this.told.keys()) if (!all.has(uri)) this.tellDiagnostics(uri, []);
    for (const [uri, list] of all) this.tellDiagnostics(uri, list);
  }

  private tellDiagnostics(uri: string, diagnostics: Diagnostic[]): void {
    const text = JSON.stringify(diagnostics);
    if (this.told.get(uri) === text) return;
    if (diagnostics.length === 0) this.told.delete(uri);
    else this.told.set(uri, text);
    const version = this.desk.files.get(uri)?.document.version;
    void this.connection.sendDiagnostics({ uri, diagnostics, ...(version === undefined ? {} : { version }) });
  }

  private tellStatus(file: OpenFile): void {
    const state = statusOf(file, this.desk.seat(file.uri), this.desk.isOn(file.path));
    const text = JSON.stringify(state);
    if (this.states.get(file.uri) === text) return;
    this.states.set(file.uri, text);
    void this.connection.sendNotification(STATUS, state);
  }
}

/** Two pads may fail at one place of a module. */
function joined(known: Diagnostic[], more: readonly Diagnostic[]): Diagnostic[] {
  const key = ({ range, message }: Diagnostic): string => JSON.stringify([range, message]);
  const keys = new Set(known.map(key));
  return [...known, ...more.filter((one) => !keys.has(key(one)))];
}

function statusOf({ uri }: OpenFile, seat: Seat | undefined, isOn: boolean): StatusParams {
  const { record, runs, bench } = seat ?? {};
  const is = !bench ? (isOn ? 'pad' : 'off') : bench.kind === 'live' ? 'live' : isOn ? 'pad' : 'module';
  return {
    uri,
    is,
    of: bench?.name ?? '',
    when: runs?.when ?? 'command',
    behind: runs?.behind ?? false,
    careful: runs?.careful ?? false,
    running: record ? !record.ended : isOn && runs?.behind !== true,
    text: record?.summary ?? { run: '', trouble: '', tests: '' },
  };
}

function lensKeyOf(file: OpenFile, desk: Desk): string {
  const { record, runs, changes, bench } = desk.seat(file.uri) ?? {};
  const gates = record?.gates.map(({ id, state, at }) => [id, state, at?.line]);
  const { when, behind, careful, held } = runs ?? {};
  return JSON.stringify([
    ...[file.uri, desk.isOn(file.path), bench?.name, record?.live, gates, when, behind, careful, held, changes?.length],
    record?.tests.map(({ path, name, at }) => [path, name, at.line]),
  ]);
}
