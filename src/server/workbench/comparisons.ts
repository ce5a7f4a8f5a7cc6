/** Comparisons of the pad that windows show: coarse soon after an edit, finer while nothing is typed. */
import type { Comparison } from '../../compare/comparison.js';
import { comparePadWays } from '../../hosts/node/comparing/pad-ways.js';
import type { PadRecord } from '../../record/record.js';
import type { Timing } from '../../compare/timing.js';
import { comparisonsIn, type WrittenComparison } from '../../syntax/comparisons.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { comparisonLines, PLAIN_COMPARISON, verdictText } from '../../views/comparison-text.js';
import type { ComparisonsMessage } from '../protocol.js';
import type { Workbench } from './state.js';
import type { Viewer } from './viewer.js';

/** Milliseconds without an edit before anything is timed, and for the times of the first look and the long one. */
const QUIET_MS = 700;
const COARSE_MS = 1;
const FINE_MS = 60_000;

/** A careful run: in processes of its own all of it would happen. */
const HOLDS = 'this pad holds what changes something outside, and comparing would run it';

type Shown = ComparisonsMessage['list'][number];

const all = new WeakMap<Workbench, PadComparisons>();

export function comparisonsOf(workbench: Workbench): PadComparisons {
  let found = all.get(workbench);
  if (!found) all.set(workbench, (found = new PadComparisons(workbench)));
  return found;
}

/** It was typed meanwhile, or nobody looks any more. */
class Outdated extends Error {}

class PadComparisons {
  private list: Shown[] = [];
  private file = '';
  /** What was compared last: the text, and how far. */
  private key = '';
  private waiting: NodeJS.Timeout | undefined;
  private turn = 0;
  /** What is to be done once somebody looks. */
  private left: (() => void) | undefined;

  constructor(private readonly workbench: Workbench) {}

  /** The pad has run, or is another one. */
  ran({ gates }: Pick<PadRecord, 'gates'>): void {
    const { subject, pad } = this.workbench;
    const file = pad && subject ? subject.file : '';
    const text = file === '' ? '' : subject!.textOf(file);
    const key = file === '' || !text.includes('compare') ? file : this.keyOf(text);
    if (key === this.key) return;
    this.key = key;
    this.turn++;
    clearTimeout(this.waiting);
    const outline = text.includes('compare') ? outlineOfText(text, file) : undefined;
    const written = outline ? comparisonsIn(outline) : [];
    const isSame = file === this.file;
    this.file = file;
    if (written.length === 0 && this.list.length === 0) return;
    const before = isSame ? this.list : [];
    const holds = gates.some(({ held }) => held) ? HOLDS : undefined;
    this.list = written.map((one, index): Shown => {
      const { line, names, wrong = holds } = one;
      const known = before[index];
      const found = known?.found ?? [];
      if (wrong !== undefined) return { line, names, state: 'failed', text: wrong, found: [] };
      const waits = { line, names, state: 'waits' as const, text: '', found };
      return found.length > 0 ? { ...waits, stale: true } : waits;
    });
    this.tell();
    const { turn } = this;
    if (holds === undefined && written.some(({ wrong }) => wrong === undefined))
      this.soon(() => void this.compare(file, text, written, turn));
  }

  /** Does it when nothing is typed for a moment; where nobody looks, when somebody does. */
  private soon(work: () => void): void {
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => {
      this.left = this.workbench.viewers.size === 0 ? work : undefined;
      if (!this.left) work();
    }, QUIET_MS);
  }

  private keyOf(text: string): string {
    const { subject } = this.workbench;
    return [text, ...subject!.files.map((file) => subject!.textOf(file))].join('\0');
  }

  private async compare(
    file: string,
    text: string,
    written: readonly WrittenComparison[],
    turn: number,
  ): Promise<void> {
    // First all of them at once, then each until its sentence is sure.
    this.left = () => void this.compare(file, text, written, turn);
    for (const forMs of [COARSE_MS, FINE_MS])
      for (const [index, one] of written.entries()) {
        if (one.wrong !== undefined || turn !== this.turn) continue;
        await this.compareOne(file, text, one, { index, turn, forMs });
        if (this.workbench.viewers.size === 0) return;
      }
    if (turn === this.turn) this.left = undefined;
  }

  private async compareOne(
    file: string,
    text: string,
    written: WrittenComparison,
    { index, turn, forMs }: { index: number; turn: number; forMs: number },
  ): Promise<void> {
    const { subject } = this.workbench;
    const set = (change: Partial<Shown>): void => {
      if (turn !== this.turn || this.workbench.viewers.size === 0) throw new Outdated();
      const now = { ...this.list[index]!, ...change };
      if (change.found) delete now.stale;
      this.list = this.list.map((one, at) => (at === index ? now : one));
      this.tell();
    };
    try {
      const found = await comparePadWays({
        ...{ file, text, written, forMs, isCoarse: forMs === COARSE_MS },
        texts: (path) => (subject!.files.includes(path) ? subject!.textOf(path) : undefined),
        progress: (candidate, what, timing) => {
          set({ state: 'runs', text: `${candidate}: ${timing ? `${timing.pairs} pairs of processes` : what}` });
          if (timing) this.soFar(index, candidate, timing, set);
        },
      });
      set({ state: 'done', text: '', found: found.map(presented) });
    } catch (error) {
      if (error instanceof Outdated) return;
      try {
        set({ state: 'failed', text: error instanceof Error ? error.message : String(error), found: [] });
      } catch {
        // Nobody looks any more.
      }
    }
  }

  /** While it is timed, what is known so far stands in the place of what was known before. */
  private soFar(index: number, candidate: string, timing: Timing, set: (change: Partial<Shown>) => void): void {
    const { found } = this.list[index]!;
    if (!found.some(({ comparison }) => comparison.candidate.name === candidate)) return;
    set({
      found: found.map((one) =>
        one.comparison.candidate.name === candidate
          ? presented({ ...one.comparison, timing: { ...one.comparison.timing, ...timing } })
          : one,
      ),
    });
  }

  /** A window comes. */
  tellWindow({ window }: Viewer): void {
    if (this.list.length > 0) window.send(this.message());
    const { left } = this;
    this.left = undefined;
    if (left) this.soon(left);
  }

  private tell(): void {
    this.workbench.tellAllWindows(this.message());
  }

  private message(): ComparisonsMessage {
    return { type: 'comparisons', pad: this.workbench.nameOf(this.file), list: this.list };
  }

  close(): void {
    this.turn++;
    clearTimeout(this.waiting);
  }
}

function presented(comparison: Comparison): Shown['found'][number] {
  const { baseline, candidate, timing, equality } = comparison;
  const isSame = equality.differing === 0;
  const lines = comparisonLines({ format: comparison.format, baseline, candidate, equality }, PLAIN_COMPARISON);
  return {
    comparison,
    sentence: timing && isSame ? verdictText(candidate.name, baseline.name, timing, PLAIN_COMPARISON) : lines[0]!,
    differing: isSame ? [] : lines,
  };
}
