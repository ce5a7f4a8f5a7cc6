/** A component as a page: its default export, mounted in the way of its library. */

type Load = (specifier: string) => Promise<Record<string, unknown>>;

/**
 * @param library `react`, `preact`
 * @throws Error where the file exports no component, or the library is not there
 */
export async function mount(library: string, exported: Record<string, unknown>, load: Load): Promise<void> {
  const component = componentOf(exported);
  if (!component)
    throw new Error('This file exports no component: a function whose name begins with a capital letter.');
  let root = document.getElementById('root') ?? document.getElementById('app');
  if (!root) {
    root = document.createElement('div');
    root.id = 'root';
    document.body.append(root);
  }
  type Make = (component: unknown, props: object) => unknown;
  if (library === 'preact') {
    const { h, render } = await load('preact');
    (render as (element: unknown, root: Element) => void)((h as Make)(component, {}), root);
    return;
  }
  const [{ createElement }, { createRoot }] = await Promise.all([load('react'), load('react-dom/client')]);
  (createRoot as (root: Element) => { render(element: unknown): void })(root).render(
    (createElement as Make)(component, {}),
  );
}

/** The default export, else the first exported function that is named as components are. */
function componentOf(exported: Record<string, unknown>): unknown {
  if (typeof exported.default === 'function') return exported.default;
  return Object.entries(exported).find(([name, value]) => /^[A-Z]/.test(name) && typeof value === 'function')?.[1];
}
