/** What a window shows of entry points. */
import type {
  ComparedMessage,
  EntriesMessage,
  EntryMessage,
  ShownEntries,
  ShownEntry,
  ShownSides,
  SidesMessage,
} from '../server/protocol-entries.js';

/** What a window shows of entry points. */
export interface Serves {
  list?: ShownEntries;
  entry?: ShownEntry;
  sides?: ShownSides;
  /** A function that is compared with what it was. */
  compared?: ComparedMessage;
  /** The piece that is edited, by its place. */
  active?: { file: string; name: string };
  /** Files that were changed here and are not saved. */
  edited: string[];
}

export function servesChange(
  serves: Serves,
  message: EntriesMessage | EntryMessage | SidesMessage | ComparedMessage,
): Serves {
  switch (message.type) {
    case 'entries':
      return { ...serves, list: message.shown };
    case 'entry':
      return entryChange(serves, message.shown);
    case 'sides':
      return { ...serves, sides: message.sides };
    case 'compared':
      return { ...serves, compared: message };
  }
}

/** Another entry point begins with no piece open. */
function entryChange(
  { entry: before, active, sides, compared, ...rest }: Serves,
  entry: ShownEntry | undefined,
): Serves {
  const isSame = before !== undefined && before.point.key === entry?.point.key;
  return {
    ...rest,
    ...(entry ? { entry } : {}),
    ...(isSame && active ? { active } : {}),
    ...(isSame && sides ? { sides } : {}),
    ...(isSame && compared ? { compared } : {}),
  };
}
