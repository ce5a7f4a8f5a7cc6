/** The breakpoints of a target: how often each was met, and whether it stops there this time. */
import type { BreakpointRule } from '../../wire/pausing.js';
import * as own from '../originals.js';

interface Breakpoint {
  rule: BreakpointRule;
  met: number;
  asleep: boolean;
}

export class Breakpoints {
  private list = own.safeMap<number, Breakpoint>();

  /** Those that there are from now on; one whose rule stays goes on counting. */
  set(rules: readonly BreakpointRule[]): void {
    const next = own.safeMap<number, Breakpoint>();
    for (let i = 0; i < rules.length; i++) {
      const rule = rules[i]!;
      const known = this.list.get(rule.id);
      const same = known !== undefined && known.rule.every === rule.every && known.rule.after === rule.after;
      next.set(rule.id, same ? known : { rule, met: 0, asleep: false });
    }
    this.list = next;
  }

  /** It is met once more; true where it acts this time. One that was taken away meanwhile never does. */
  meet(id: number): boolean {
    const point = this.list.get(id);
    if (!point || point.asleep) return false;
    const { every, after } = point.rule;
    point.met++;
    if (after !== undefined && point.met <= after) return false;
    return every === undefined || (point.met - (after ?? 0)) % every === 0;
  }

  /** Its condition or message has failed: false where it slept already, or is there no more. */
  sleep(id: number): boolean {
    const point = this.list.get(id);
    if (!point || point.asleep) return false;
    return (point.asleep = true);
  }
}
