/** What comes with a published page: data and scripts in it or, in a folder, beside it. */

/** Text that the page carries by this name; undefined where it does not. */
export function carried(name: string): string | undefined {
  return document.getElementById(`usher-anvil-${name}`)?.textContent ?? undefined;
}

/** The same of a script. */
export function carriedScript(name: string): string | undefined {
  const text = carried(name);
  return text === undefined ? undefined : (JSON.parse(text) as string);
}

/**
 * Loads a script that lies beside the page, unless the page carries it. Resolves also where there is none: what it
 * would have set is missing then.
 */
export function loadBeside(name: string): Promise<void> {
  if (carried(name) !== undefined) return Promise.resolve();
  return new Promise((resolve) => {
    const script = document.createElement('script');
    script.src = `${name}.js`;
    script.onload = script.onerror = () => resolve();
    document.head.append(script);
  });
}
