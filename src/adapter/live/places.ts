/** Breakpoints of a client in a program that runs. */
import type { DebugProtocol } from '@vscode/debugprotocol';
import { z } from 'zod';
import type { Breakpoint, BreakpointAsked } from '../../session/live/pausing/breakpoints.js';
import type { StopsAtErrors } from '../../wire/pausing.js';
import type { DebuggedProgram } from './program.js';

const fieldOf = z.object({ path: z.string(), frame: z.number(), where: z.string() });

interface Place {
  /** The client's number. */
  id: number;
  asked: BreakpointAsked;
  made: Breakpoint | undefined;
}

type AskedLine = Pick<DebugProtocol.SourceBreakpoint, 'condition' | 'hitCondition' | 'logMessage'> & { line: number };

export class LivePlaces {
  private readonly files = new Map<string, Place[]>();
  private readonly fields = new Map<string, { id: number; made: number }>();
  private last = 0;
  errors: StopsAtErrors = 'none';

  /** @param tell says that a place is another one now */
  constructor(
    private readonly program: () => DebuggedProgram | undefined,
    private readonly tell: (place: DebugProtocol.Breakpoint) => void,
  ) {}

  /** All that are asked for: for a program that is about to start. */
  get asked(): BreakpointAsked[] {
    return [...this.files.values()].flat().map(({ asked }) => asked);
  }

  /** The client's number of a breakpoint. */
  ownNumber(breakpoint: number): number | undefined {
    const field = [...this.fields.values()].find(({ made }) => made === breakpoint);
    return field?.id ?? [...this.files.values()].flat().find(({ made }) => made?.id === breakpoint)?.id;
  }

  async setLines(file: string, lines: readonly AskedLine[]): Promise<DebugProtocol.Breakpoint[]> {
    const program = this.program();
    for (const { made } of this.files.get(file) ?? []) if (made) await program?.clear(made.id);
    const places = lines.map((line): Place => ({ id: ++this.last, asked: askedOf(file, line), made: undefined }));
    this.files.set(file, places);
    if (program) for (const place of places) place.made = await program.set(place.asked);
    return places.map(shown);
  }

  /** @param ids what {@link LiveValues.assignable} gave, as JSON; those that are there already stay */
  async setFields(ids: readonly string[]): Promise<DebugProtocol.Breakpoint[]> {
    const program = this.program();
    for (const [id, { made }] of [...this.fields])
      if (!ids.includes(id)) {
        this.fields.delete(id);
        if (made !== undefined) await program?.clear(made);
      }
    const shown: DebugProtocol.Breakpoint[] = [];
    for (const id of ids) {
      const known = this.fields.get(id);
      if (known) {
        shown.push({ id: known.id, verified: true });
        continue;
      }
      const { path, frame, where } = fieldOf.parse(JSON.parse(id));
      const answer = await program?.watch(path, frame, where);
      const own = ++this.last;
      if (answer?.is === 'watched') this.fields.set(id, { id: own, made: answer.field.id });
      shown.push({
        id: own,
        verified: answer?.is === 'watched',
        ...(answer?.is === 'cannot' ? { message: answer.why } : {}),
      });
    }
    return shown;
  }

  async setErrors(which: StopsAtErrors): Promise<void> {
    this.errors = which;
    await this.program()?.errors(which);
  }

  /** A program is there: it gets what was asked for before. */
  async tellAll(): Promise<void> {
    const program = this.program();
    for (const place of [...this.files.values()].flat()) {
      place.made = await program?.set(place.asked);
      this.tell(shown(place));
    }
    if (this.errors !== 'none') await program?.errors(this.errors);
  }

  /** Breakpoints may have moved, or act no longer. */
  async changed(): Promise<void> {
    const now = (await this.program()?.breakpoints()) ?? [];
    for (const place of [...this.files.values()].flat()) {
      const { made } = place;
      const found = made && now.find(({ id }) => id === made.id);
      if (!found || (found.line === made.line && found.state === made.state)) continue;
      place.made = found;
      this.tell(shown(place));
    }
  }

  /** Nobody asks for any of them any more. */
  async clear(): Promise<void> {
    for (const file of [...this.files.keys()]) await this.setLines(file, []);
    await this.setFields([]);
    if (this.errors !== 'none') await this.setErrors('none');
  }
}

function shown({ id, asked, made }: Place): DebugProtocol.Breakpoint {
  return {
    id,
    verified: made?.state === 'set',
    line: made?.line ?? asked.line,
    ...(made?.why === undefined ? {} : { message: made.why }),
  };
}

function askedOf(file: string, { line, condition, hitCondition, logMessage }: AskedLine): BreakpointAsked {
  return {
    file,
    line,
    ...(condition ? { condition } : {}),
    ...(logMessage ? { message: logMessage } : {}),
    ...timesOf(hitCondition),
  };
}

/** `% 3`: every third time. `3`, `>= 3`, `> 2`: from the third time on. */
function timesOf(text: string | undefined): { every?: number; after?: number } {
  const [, operator, number] = /^\s*(>=|>|%|==?)?\s*(\d+)\s*$/.exec(text ?? '') ?? [];
  const times = Number(number);
  if (number === undefined || times < 1) return {};
  if (operator === '%') return { every: times };
  const after = operator === '>' ? times : times - 1;
  return after > 0 ? { after } : {};
}
