/**
 * Calls that wait in live programs, for a client that lists them: what failed with its variables, what waits, and what
 * can be done. Every program of the person is heard, whatever files are open.
 */
import { URI } from 'vscode-uri';
import type { Registration } from '../server/targets.js';
import { joinTarget, type Window } from '../server/window.js';
import type { HeldState } from '../server/door-holding.js';
import { valueText } from '../runtime/text.js';
import { missedName } from '../session/live/holding/missing.js';
import { AnvilError } from '../syntax/problems.js';
import type { RawFrame } from '../wire/reports.js';
import type { HeldDone, HeldFrame, HeldParams, HeldProgram } from './extra-messages.js';
import type { HeldAsked } from './extras.js';

/** Milliseconds in which news of a program are read once. */
const TOGETHER_MS = 50;
/** Characters of a value in a list. */
const WIDE = 120;

interface Heard {
  window: Window;
  state: HeldState | undefined;
  name: string;
  timer: NodeJS.Timeout | undefined;
}

export class HeldInPrograms {
  /** By the address of their door. */
  private readonly heard = new Map<string, Heard>();
  private readonly joining = new Set<string>();
  private wanted = false;
  private known: readonly Registration[] = [];

  constructor(private readonly tell: (params: HeldParams) => void) {}

  /** A client lists held calls from now on. */
  begin(): void {
    this.wanted = true;
    this.programs(this.known);
  }

  /** These programs are there. */
  programs(all: readonly Registration[]): void {
    this.known = all;
    if (!this.wanted) return;
    for (const [address, one] of this.heard)
      if (!all.some((other) => other.address === address)) {
        one.window.close();
        this.gone(address);
      }
    for (const one of all) void this.join(one);
  }

  end(): void {
    for (const { window, timer } of this.heard.values()) {
      clearTimeout(timer);
      window.close();
    }
    this.heard.clear();
  }

  private async join({ address, token, name }: Registration): Promise<void> {
    const known = this.heard.get(address);
    if (known) known.name = name;
    if (known || this.joining.has(address)) return;
    this.joining.add(address);
    const soon = (): void => this.readSoon(address);
    try {
      const window = await joinTarget(address, token, { held: soon, paused: soon, ended: () => this.gone(address) });
      this.heard.set(address, { window, state: undefined, name, timer: undefined });
      await this.read(address);
    } catch {
      // It is ending, or has not begun yet: its registration will change.
    } finally {
      this.joining.delete(address);
    }
  }

  private gone(address: string): void {
    clearTimeout(this.heard.get(address)?.timer);
    if (this.heard.delete(address)) this.tellAll();
  }

  private readSoon(address: string): void {
    const one = this.heard.get(address);
    if (!one) return;
    clearTimeout(one.timer);
    one.timer = setTimeout(() => void this.read(address).catch(() => undefined), TOGETHER_MS);
  }

  private async read(address: string): Promise<void> {
    const one = this.heard.get(address);
    if (!one) return;
    one.state = await one.window.ask('held', {});
    this.tellAll();
  }

  private tellAll(): void {
    const programs = [...this.heard].flatMap(([address, { name, state }]) =>
      state ? [programMessage(address, name, state)] : [],
    );
    this.tell({ programs });
  }

  /**
   * Does something with a held call, or switches a program to holding.
   *
   * @throws AnvilError `E_HELD` where it cannot be done, `E_TARGET` where the program is gone
   */
  async do({ program, id = 0, do: what, text }: HeldAsked): Promise<HeldDone> {
    const window = this.heard.get(program)?.window;
    if (!window) throw new AnvilError('E_TARGET', 'This program has ended.');
    switch (what) {
      case 'off':
      case 'on':
      case 'auto':
        await window.ask('hold', { mode: what });
        return {};
      case 'write': {
        const answer = await window.ask('missing', { id });
        if (answer.is === 'cannot') throw new AnvilError('E_HELD', `${answer.why}.`);
        const { file, line, character, text: written, cursor } = answer.missing;
        return { write: { uri: URI.file(file).toString(), line, character, text: written, cursor } };
      }
      default: {
        const answer = await window.ask('release', { id, how: what, ...(text === undefined ? {} : { text }) });
        if (answer.is === 'cannot') throw new AnvilError('E_HELD', `${answer.why}.`);
        if (answer.is === 'threw') throw new AnvilError('E_HELD', `${answer.error.name}: ${answer.error.message}`);
        return {};
      }
    }
  }
}

function programMessage(address: string, name: string, { mode, calls, standing }: HeldState): HeldProgram {
  return {
    ...{ address, name, mode },
    calls: calls.map(({ id, name: of, error, waits, since, until, where, isOver, frames, done }) => {
      const misses = missedName(error.message);
      return {
        ...{ id, name: of, waits, since, where, done: done.map(({ text, line }) => `${text} (line ${line + 1})`) },
        error: `${error.name}: ${error.message}`,
        ...(until === undefined ? {} : { until }),
        ...(isOver === undefined ? {} : { isOver }),
        ...(misses === undefined ? {} : { misses }),
        frames: (frames.length > 0 ? frames : error.frames.map((frame) => ({ ...frame, scopes: [] })))
          .filter(({ local }) => local)
          .map((frame) =>
            frameMessage(
              frame,
              frame.scopes.flatMap(({ variables }) =>
                variables.map((one) => ({ name: one.name, text: valueText(one.value, WIDE) })),
              ),
            ),
          ),
      };
    }),
    standing: standing.map(({ where, frames }) => ({
      where,
      frames: frames.filter(({ local }) => local).map((frame) => frameMessage(frame, [])),
    })),
  };
}

function frameMessage({ name, file, line }: RawFrame, variables: HeldFrame['variables']): HeldFrame {
  return { name, ...(line < 0 ? {} : { at: { uri: URI.file(file).toString(), line } }), variables };
}
