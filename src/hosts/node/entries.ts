/**
 * Programs of this package that are started as threads or processes: the build makes one file of each, which loads
 * faster than its many modules.
 */
export type EntryName =
  | 'main'
  | 'relay-main'
  | 'process-main'
  | 'process-relay'
  | 'pad-worker'
  | 'participant'
  | 'participant-hooks'
  | 'types-worker'
  | 'compare-main'
  | 'painter-main';

export function entryUrl(name: EntryName, extension: 'js' | 'cjs' = 'js'): URL {
  return new URL(`../../bin/${name}.${extension}`, import.meta.url);
}
