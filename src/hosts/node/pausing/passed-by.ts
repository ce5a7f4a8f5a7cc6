/** Patterns of files in which no step ends: the platform's, packages, and ours. */
/** @param ownFiles folders of ours, as addresses and as paths */
export function passedBy(ownFiles: readonly string[]): string[] {
  return ['^node:', '/node_modules/', ...ownFiles.map(escaped)];
}

function escaped(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&');
}
