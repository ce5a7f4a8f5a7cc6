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

const beside = new Map<string, Promise<void>>();
const parts = new Map<string, Promise<void>>();

/**
 * Loads a script that lies beside the page, once, unless the page carries it. Resolves also where there is none: what it
 * would have set is missing then.
 */
export function loadBeside(name: string): Promise<void> {
  let loading = beside.get(name);
  if (!loading) beside.set(name, (loading = carried(name) === undefined ? fromBeside(name) : Promise.resolve()));
  return loading;
}

function fromBeside(name: string): Promise<void> {
  return new Promise((resolve) => {
    const script = document.createElement('script');
    script.src = `${name}.js`;
    script.onload = () => resolve();
    script.onerror = () => {
      // Without a network now, it may be there later.
      beside.delete(name);
      parts.delete(name);
      resolve();
    };
    document.head.append(script);
  });
}

/** Loads a script, wherever it is, and has it set what it sets. */
export function loadPart(name: string): Promise<void> {
  let loading = parts.get(name);
  if (!loading) parts.set(name, (loading = fromAnywhere(name)));
  return loading;
}

async function fromAnywhere(name: string): Promise<void> {
  const script = carriedScript(name);
  // A script of this page, which its policy lets no other be.
  if (script !== undefined) globalThis.eval(script);
  else await loadBeside(name);
}
