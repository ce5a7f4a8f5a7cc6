/** Flags for Node processes that others start: they stand in one variable of the environment. */

/** The variable's text with one more flag; a path in it may hold spaces. */
export function withNodeOption(options: string | undefined, flag: string): string {
  const quoted = /[\s"\\]/.test(flag) ? `"${flag.replace(/[\\"]/g, '\\$&')}"` : flag;
  return [options, quoted].filter((one) => one !== undefined && one !== '').join(' ');
}
