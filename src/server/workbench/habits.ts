/**
 * What a person has chosen for a file, remembered over sessions: when it executes, and what it may do. Format
 * `usher-anvil/habits@1`, one file per source file, readable by its owner only.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { isOwn } from '../../hosts/node/ownership.js';
import { stateFile, stateFolder, writeState } from '../../hosts/node/state-folder.js';

const habits = z.object({
  format: z.literal('usher-anvil/habits@1'),
  file: z.string(),
  /** A pad executes at each edit, when it is saved, or when it is told to. */
  when: z.enum(['edit', 'save', 'command']).optional(),
  /** What changes something outside of it waits until it is let through. */
  careful: z.boolean().optional(),
  /** Where it executes, where its text does not decide; and whether a page goes on at an edit. */
  place: z.enum(['page', 'node']).optional(),
  keeps: z.boolean().optional(),
});

export interface FileHabits {
  when: 'edit' | 'save' | 'command';
  /** Undefined while nobody has said: the first such thing asks. */
  careful: boolean | undefined;
  /** Where it executes; undefined where its text decides. */
  place?: 'page' | 'node';
  /** Of a page: an edit patches it, and its state is kept. */
  keeps?: boolean;
}

/** How a file begins about which nobody has said anything. */
const NAMED: FileHabits = { when: 'edit', careful: false };
const MERELY_OPENED: FileHabits = { when: 'command', careful: undefined };

export class Habits {
  private readonly known = new Map<string, FileHabits>();

  /** @param ownPads every file that is opened was made by the person, and is meant to run */
  constructor(
    private readonly folder: string = join(stateFolder(), 'habits'),
    private readonly ownPads = false,
  ) {}

  /** A person has made this file, or named it: it is meant to run, also the next time. */
  name(file: string, careful?: boolean): void {
    if (this.recall(file).when === undefined) this.choose(file, NAMED);
    if (careful !== undefined) this.choose(file, { careful });
    // What lies in a file of somebody else is not this person's own.
    else if (!isOwn(file)) this.choose(file, { careful: true });
  }

  of(file: string): FileHabits {
    let found = this.known.get(file);
    if (!found) {
      const first = this.ownPads ? NAMED : { ...MERELY_OPENED, ...(isOwn(file) ? {} : { careful: true }) };
      found = { ...first, ...this.recall(file) };
      this.known.set(file, found);
    }
    return found;
  }

  /** Remembers a choice; for this session alone where it cannot be written. */
  choose(file: string, choice: Partial<FileHabits>): void {
    const known = { ...this.of(file), ...choice };
    this.known.set(file, known);
    const { when, careful, place, keeps } = { ...this.recall(file), ...choice };
    const written: z.infer<typeof habits> = {
      format: 'usher-anvil/habits@1',
      file,
      ...(when === undefined ? {} : { when }),
      ...(careful === undefined ? {} : { careful }),
      ...(place === undefined ? {} : { place }),
      ...(keeps === undefined ? {} : { keeps }),
    };
    try {
      writeState(stateFile(this.folder, file), JSON.stringify(written));
    } catch {
      // A choice that cannot be kept is no reason to stop.
    }
  }

  private recall(file: string): Partial<FileHabits> {
    try {
      const {
        file: of,
        when,
        careful,
        place,
        keeps,
      } = habits.parse(JSON.parse(readFileSync(stateFile(this.folder, file), 'utf8')));
      if (of !== file) return {};
      return {
        ...(when === undefined ? {} : { when }),
        ...(careful === undefined ? {} : { careful }),
        ...(place === undefined ? {} : { place }),
        ...(keeps === undefined ? {} : { keeps }),
      };
    } catch {
      return {};
    }
  }
}
