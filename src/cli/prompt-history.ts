/** Entries of a prompt on one line each. */

/** The line editor takes one line: what was entered over several comes back as one, where that means the same. */
export function oneLine(entry: string): string[] {
  return /\/\/|`/.test(entry) ? entry.split('\n') : [entry.replace(/\s*\n\s*/g, ' ')];
}
