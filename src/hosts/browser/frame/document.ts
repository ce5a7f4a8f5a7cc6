/** The document of a run: what the page says, without a script of its own being started by it. */
import type { FramePage } from '../../../wire/frames.js';

/** Milliseconds that style sheets may take before the page is shown without them. */
const SHEETS_MS = 400;

/** Puts the page's elements in place of the document's, and loads the scripts that it has from elsewhere. */
export async function placeDocument({ html, outside, address }: FramePage): Promise<void> {
  history.replaceState(null, '', address);
  if (html !== '') {
    const made = new DOMParser().parseFromString(html, 'text/html');
    document.replaceChild(document.adoptNode(made.documentElement), document.documentElement);
  }
  for (const source of outside) await script(source);
}

function script(source: string): Promise<void> {
  return new Promise((resolve, reject) => {
    const element = document.createElement('script');
    element.src = source;
    element.onload = () => resolve();
    element.onerror = () => reject(new Error(`the script ${source} cannot be loaded`));
    document.head.append(element);
  });
}

/** Waits until the style sheets are there, or for some time. */
export async function sheetsLoaded(): Promise<void> {
  const links = [...document.querySelectorAll<HTMLLinkElement>('link[rel~="stylesheet"]')].filter((one) => !one.sheet);
  if (links.length === 0) return;
  const over = new Promise((resolve) => setTimeout(resolve, SHEETS_MS));
  const loaded = links.map(
    (one) =>
      new Promise((resolve) => {
        one.addEventListener('load', resolve);
        one.addEventListener('error', resolve);
      }),
  );
  await Promise.race([Promise.all(loaded), over]);
}

/** Style sheets and `<style>` elements get other texts; what they had stays until then. */
export function placeStyles(sheets: Record<string, string>, own: readonly string[]): void {
  for (const link of document.querySelectorAll<HTMLLinkElement>('link[rel~="stylesheet"]')) {
    const text = sheets[link.getAttribute('href') ?? ''];
    if (text === undefined) continue;
    const next = link.nextElementSibling;
    const known = next instanceof HTMLStyleElement && next.dataset.usherAnvil !== undefined ? next : undefined;
    const style = known ?? document.createElement('style');
    style.dataset.usherAnvil = '';
    style.textContent = text;
    if (!known) link.after(style);
    link.disabled = true;
  }
  const elements = [...document.querySelectorAll<HTMLStyleElement>('style:not([data-usher-anvil])')];
  own.forEach((text, index) => {
    const element = elements[index];
    if (element && element.textContent !== text) element.textContent = text;
  });
}

/** What a page waits for that has begun after its document was there. */
export function tellLoaded(): void {
  document.dispatchEvent(new Event('DOMContentLoaded', { bubbles: true }));
  window.dispatchEvent(new Event('load'));
}

/**
 * While the keys are elsewhere in the window, `focus()` of the page takes them from nobody: a page that asks for the
 * focus at each run would end the typing of whoever edits it.
 *
 * @returns what replaces the engine's own, and the function whose text it is to show
 */
export function leaveFocus(): [object, object][] {
  const outer = window.parent.document;
  return [HTMLElement, SVGElement].map(({ prototype }): [object, object] => {
    const native = prototype.focus;
    const { focus } = {
      focus(this: HTMLElement, ...args: Parameters<HTMLElement['focus']>): void {
        if (outer.hasFocus()) Reflect.apply(native, this, args);
      },
    };
    Object.defineProperty(prototype, 'focus', { value: focus, writable: true, configurable: true, enumerable: true });
    return [focus, native];
  });
}
