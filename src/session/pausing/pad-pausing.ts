/**
 * Breakpoints of a pad, and the pad as it stands still. They are compiled into its code: one that comes acts from the
 * next run on, one that goes does so at once.
 */
import { placesOfImports } from '../../instrument/linking.js';
import { namesWith, prefixFor } from '../../instrument/probe-names.js';
import type { Translator } from '../../instrument/translator.js';
import { codeInFrame } from '../../patch/frame-code.js';
import type { Outline } from '../../syntax/outline.js';
import { Replies } from '../../wire/replies.js';
import type { Going, PauseAnswer, PauseNews, PauseRequest, PauseScope, StopsAtErrors } from '../../wire/pausing.js';
import type { RawError } from '../../wire/reports.js';
import type { RunAsked } from '../../wire/runs.js';
import { doneIn } from '../live/holding/already-done.js';
import { Breakpoints, type Breakpoint, type BreakpointAsked } from '../live/pausing/breakpoints.js';
import type { PausingFace } from '../live/pausing/face.js';
import type { Linker } from '../linker.js';
import type { Run } from '../runs.js';
import { isCaught, named } from '../live/pausing/frames.js';
import {
  NOTHING_STANDS,
  type Evaluated,
  type PauseEvent,
  type PauseOutcome,
  type Standing,
} from '../live/pausing/told.js';

/** What a pad's breakpoints are put into. */
export interface PadPausingParts {
  translator: Translator;
  linker: Pick<Linker, 'outlineOf' | 'stopAt'>;
  /** The run that there is. */
  run(): Pick<Run, 'handle' | 'stop'> | undefined;
  /** The run stands still, or goes on. */
  stands(isStanding: boolean): void;
}

const NO_RUN: PauseAnswer = { is: 'cannot', why: 'nothing of the pad is running' };

export class PadPausing implements PausingFace {
  private readonly stops = new Breakpoints('anywhere');
  private readonly listeners = new Set<(event: PauseEvent) => void>();
  private readonly replies = new Replies<PauseAnswer>();
  private standing: Standing | undefined;
  private atErrors: StopsAtErrors = 'none';

  private readonly outlineOf: Linker['outlineOf'];

  constructor(private readonly parts: PadPausingParts) {
    const { linker } = parts;
    this.outlineOf = (file) => linker.outlineOf(file);
    linker.stopAt((file, outline) => this.stops.stopsOf(file, outline));
  }

  listen(listener: (event: PauseEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private say(event: PauseEvent): void {
    for (const listener of this.listeners) listener(event);
  }

  get all(): Standing[] {
    return this.standing ? [this.standing] : [];
  }

  get breakpoints(): Breakpoint[] {
    return this.stops.list;
  }

  get stopsAtErrors(): StopsAtErrors {
    return this.atErrors;
  }

  /** Something may stop: all of it runs, also what an earlier run has results of. */
  get isOn(): boolean {
    return this.atErrors !== 'none' || this.stops.files.length > 0;
  }

  set(asked: BreakpointAsked): Promise<Breakpoint> {
    const made = this.stops.add(asked, this.outlineOf(asked.file));
    this.say({ is: 'breakpoints' });
    return Promise.resolve(made);
  }

  /** What runs goes on without it. */
  async remove(id: number): Promise<boolean> {
    const gone = this.stops.remove(id) !== undefined;
    if (gone) {
      await this.ask({ do: 'breakpoints', list: this.stops.rules });
      this.say({ is: 'breakpoints' });
    }
    return gone;
  }

  async stopAtErrors(which: StopsAtErrors): Promise<PauseOutcome<{ is: 'done' }>> {
    this.atErrors = which;
    if (this.standing) await this.ask({ do: 'errors', which });
    this.say({ is: 'breakpoints' });
    return { is: 'done' };
  }

  /** What a run is asked before its first line. */
  asked(): Pick<RunAsked, 'begin'> {
    return this.isOn ? { begin: { pause: false, rules: this.stops.rules, errors: this.atErrors } } : {};
  }

  /** Texts of the pad run from now on: breakpoints stand in them. */
  moved(): void {
    for (const file of this.stops.files) {
      const outline = this.outlineOf(file);
      if (outline) this.stops.moved(file, outline);
    }
    if (this.stops.files.length > 0) this.say({ is: 'breakpoints' });
  }

  async pause(): Promise<PauseOutcome<{ is: 'done' }>> {
    return doneOr(await this.ask({ do: 'pause' }));
  }

  async go(going: Going): Promise<PauseOutcome<{ is: 'done' }>> {
    if (!this.standing) return { is: 'cannot', why: NOTHING_STANDS };
    return doneOr(await this.ask({ do: 'go', going }));
  }

  async scopes(frame: number): Promise<PauseOutcome<{ is: 'scopes'; moment: number; scopes: PauseScope[] }>> {
    if (!this.standing) return { is: 'cannot', why: NOTHING_STANDS };
    const answer = await this.ask({ do: 'scopes', frame });
    return answer.is === 'scopes' || answer.is === 'cannot' ? answer : { is: 'cannot', why: 'it is not answered' };
  }

  async evaluate(text: string, frame: number): Promise<PauseOutcome<Evaluated | { is: 'threw'; error: RawError }>> {
    const place = this.standing?.frames[frame];
    if (!place) return { is: 'cannot', why: this.standing ? 'there is no such frame' : NOTHING_STANDS };
    const answer = await this.scopes(frame);
    if (answer.is === 'cannot') return answer;
    const own = new Set(answer.scopes.flatMap(({ variables }) => variables.map(({ name }) => name)));
    const outline = this.outlineOf(place.file);
    const places = outline ? importsOf(outline, own) : new Map<string, string>();
    const made = codeInFrame(outline, place.file, text, places, this.parts.translator, place.line);
    if ('problem' in made) return { is: 'cannot', why: made.problem };
    const given = await this.ask({ do: 'evaluate', frame, code: made.code });
    return given.is === 'value' || given.is === 'threw' || given.is === 'cannot'
      ? given
      : { is: 'cannot', why: 'it is not answered' };
  }

  private ask(request: PauseRequest): Promise<PauseAnswer> {
    return this.replies.ask((ask) => {
      const run = this.parts.run();
      if (!run?.handle || run.stop) return false;
      run.handle.pause(ask, request);
      return true;
    }, NO_RUN);
  }

  /** The run answers. */
  answered(ask: number, answer: PauseAnswer): void {
    this.replies.answer(ask, answer);
  }

  /** What the run tells. */
  take(news: PauseNews): void {
    switch (news.is) {
      case 'paused':
        this.paused(news);
        break;
      case 'went-on':
        this.left();
        break;
      case 'asleep': {
        const { name, message } = news.error;
        this.stops.sleep(news.breakpoint, `it failed, and sleeps: ${name}: ${message}`);
        this.say({ is: 'breakpoints' });
        break;
      }
      case 'message': {
        const breakpoint = this.stops.get(news.breakpoint);
        if (breakpoint) this.say({ is: 'message', breakpoint, text: news.text, where: '' });
        break;
      }
    }
  }

  private paused({ is: _, frames, ...told }: Extract<PauseNews, { is: 'paused' }>): void {
    const { outlineOf } = this;
    if (told.reason === 'error' && this.atErrors !== 'all' && isCaught(frames, outlineOf)) {
      void this.ask({ do: 'go', going: { how: 'on' } });
      return;
    }
    const shown = frames.map((frame) => ({ ...named(frame, outlineOf), done: doneIn([frame], outlineOf) }));
    this.standing = { ...told, frames: shown, where: '', since: Date.now() };
    this.parts.stands(true);
    this.say({ is: 'paused', standing: this.standing });
  }

  private left(): void {
    const { standing } = this;
    if (!standing) return;
    this.standing = undefined;
    this.parts.stands(false);
    this.say({ is: 'went-on', where: '', number: standing.number });
  }

  /** The run has ended, or another takes its place. */
  ended(): void {
    this.replies.end();
    this.left();
  }
}

function doneOr(answer: PauseAnswer): PauseOutcome<{ is: 'done' }> {
  return answer.is === 'cannot' ? answer : { is: 'done' };
}

/** Code for names that are imported. */
function importsOf(outline: Outline, own: ReadonlySet<string>): Map<string, string> {
  const { parsed } = outline;
  const { places, namespaces } = placesOfImports(outline, namesWith(prefixFor(parsed.text)), parsed.interop);
  return new Map([...places, ...namespaces].filter(([name]) => !own.has(name)));
}
