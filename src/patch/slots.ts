/** Gives functions and classes their slots in the module's patch table. */
import type { Change } from './change.js';
import type { Decisions, Work } from './decisions.js';
import { isInsidePatched } from './decide/functions.js';
import { generationOf, keyOf, liveClassOf, type Generation, type LiveClass } from './live-module.js';

/** Generations of one function that are remembered. */
const MOST_GENERATIONS = 24;

export class SlotAllocation {
  /** By function: the slot of those that are made from now on; -1 for one that no code of ours makes. */
  readonly functions: number[];
  /** By class: the first of its two slots. */
  readonly classes: number[];
  /** By function: all its generations that live. */
  readonly generations: Generation[][];
  /** Slots that the module started with. */
  readonly size: number;
  readonly key: string;
  next: number;
  private readonly given = new Set<number>();

  constructor(private readonly change: Change) {
    const { module, after, continuity } = change;
    this.next = module.nextSlot;
    this.size = module.size;
    this.key = module.key;
    this.generations = after.functions.map((_, index) => [...(continuity.functions[index]?.generations ?? [])]);
    this.functions = this.generations.map((list) => list[list.length - 1]?.slot ?? -1);
    this.classes = after.classes.map((_, index) => continuity.classes[index]?.live.slot ?? this.take(2));
  }

  /** What lives of a class, with the slots that were given. */
  liveClass(index: number): LiveClass {
    return (
      this.change.continuity.classes[index]?.live ??
      liveClassOf(this.change.after, index, this.classes[index]!, this.functions)
    );
  }

  /** Gives slots to functions that new code makes: those of an older generation with the same scope, or new ones. */
  give(among: (index: number) => boolean): void {
    const { after } = this.change;
    after.functions.forEach((info, index) => {
      if (!among(index) || this.given.has(index)) return;
      this.given.add(index);
      if (info.kind === 'constructor') {
        if (this.functions[index]! < 0) this.functions[index] = this.take(1);
        return;
      }
      const made = generationOf(after, index, -1);
      if (made) this.giveGeneration(index, made);
    });
  }

  /** Gives slots to the functions in a part of the text. */
  giveWithin(start: number, end: number): void {
    const { functions } = this.change.after;
    this.give((index) => functions[index]!.start >= start && functions[index]!.end <= end);
  }

  private giveGeneration(index: number, made: Generation): void {
    const key = keyOf(made);
    const generations = this.generations[index]!;
    const found = generations.find((one) => keyOf(one) === key);
    if (found) {
      this.functions[index] = found.slot;
      return;
    }
    made.slot = this.take(1);
    this.functions[index] = made.slot;
    generations.push(made);
    if (generations.length > MOST_GENERATIONS) generations.shift();
  }

  private take(count: number): number {
    const slot = this.next;
    this.next += count;
    return slot;
  }
}

/**
 * Gives slots to everything that decisions make: in patched functions first, then in classes that live, then in the
 * order of the text.
 */
export function allocate(change: Change, decisions: Decisions, inOrder: readonly Work[]): SlotAllocation {
  const slots = new SlotAllocation(change);
  change.points.classes.forEach((point, index) => {
    const old = change.continuity.classes[index];
    if (old && point.hook === 'class' && old.live.hook !== undefined && point.constructorIndex >= 0)
      slots.functions[point.constructorIndex] = old.live.constructorSlot;
  });
  slots.give((index) => isInsidePatched(change, decisions.bodies, index));
  for (const work of decisions.works)
    if (work.kind === 'member' || work.kind === 'fields' || work.kind === 'constructor') giveFor(slots, change, work);
  for (const work of inOrder) giveFor(slots, change, work);
  return slots;
}

function giveFor(slots: SlotAllocation, change: Change, work: Work): void {
  switch (work.kind) {
    case 'declare':
    case 'assign':
      if (work.source.of !== 'nothing') slots.giveWithin(work.source.node.start, work.source.node.end);
      break;
    case 'properties':
      for (const { set } of work.places) slots.give((index) => set.some((one) => isWithin(change, index, one)));
      break;
    case 'reset':
      if (work.giveSlots) slots.giveWithin(work.node.start, work.node.end);
      break;
    case 'enum':
    case 'pattern':
    case 'defaultExport':
    case 'run':
    case 'wait':
      slots.giveWithin(work.node.start, work.node.end);
      break;
    case 'member':
      slots.giveWithin(work.info.start, work.info.end);
      break;
    case 'fields':
      // Arrow functions in fields that the class had go on under their slots; their hooks differ.
      slots.give(
        (index) =>
          work.set.some(({ node }) => isWithin(change, index, node)) &&
          change.after.functions[index]!.kind !== 'constructor',
      );
      break;
    case 'constructor': {
      const { info } = work;
      if (info) slots.give((index) => change.after.functions[index] !== info && isWithin(change, index, info));
      break;
    }
  }
}

function isWithin(change: Change, index: number, node: { start: number; end: number }): boolean {
  const info = change.after.functions[index]!;
  return info.start >= node.start && info.end <= node.end;
}
