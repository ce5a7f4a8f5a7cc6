/**
 * Takes out of texts what is nobody else's business: where things lie on this machine, and secrets of its environment.
 */

export interface Private {
  /** Folder of the work: paths in it become relative. */
  cwd: string;
  home: string;
  /** Values that must not leave, such as tokens in the environment. */
  secrets: readonly string[];
}

/** A function that cleans one text. */
export function scrubber({ cwd, home, secrets }: Private): (text: string) => string {
  const pairs: [string, string][] = [];
  for (const secret of secrets) if (secret.length >= 8) pairs.push([secret, '(hidden)']);
  for (const folder of [cwd, home].filter((one) => one.length > 1)) {
    const name = folder === home ? '~' : '';
    pairs.push(
      [`file://${folder}/`, name === '' ? '' : `${name}/`],
      [`${folder}/`, name === '' ? '' : `${name}/`],
      [folder, name === '' ? '.' : name],
    );
  }
  pairs.sort((a, b) => b[0].length - a[0].length);
  return (text) => {
    let clean = text;
    for (const [from, to] of pairs) if (clean.includes(from)) clean = clean.split(from).join(to);
    return clean;
  };
}

/** The same for every text in plain data. */
export function scrubbed<T>(data: T, clean: (text: string) => string): T {
  if (typeof data === 'string') return clean(data) as T;
  if (Array.isArray(data)) return data.map((one: unknown) => scrubbed(one, clean)) as T;
  if (typeof data === 'object' && data !== null)
    return Object.fromEntries(
      Object.entries(data).map(([key, value]) => [clean(key), scrubbed(value as unknown, clean)]),
    ) as T;
  return data;
}
