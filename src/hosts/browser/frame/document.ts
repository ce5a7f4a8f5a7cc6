/** The document of a run: what the page says, without a script of its own being started by it. */
import type { FramePage } from '../../../wire/frames.js';

/** Milliseconds that style sheets may take before the page is shown without them. */
const SHEETS_MS = 400;

/** Puts the page's elements in place of the document's, and loads the scripts that it has from elsewhere. */
export async function placeDocument({ html, outside, address, carried }: FramePage): Promise<void> {
  if (address !== '') history.replaceState(null, '', address);
  if (html !== '') {
    const made = new DOMParser().parseFromString(html, 'text/html');
    if (carried) placeCarried(made, carried);
    document.replaceChild(document.adoptNode(made.documentElement), document.documentElement);
  }
  const evaluate = globalThis.eval;
  for (const source of outside) {
    const text = carried?.scripts[source];
    if (text === undefined) await script(source);
    else evaluate(text);
  }
}

/**
 * Puts what came along into a document that can fetch nothing. Handlers in attributes are made functions: the policy
 * of such a page takes only those.
 */
function placeCarried(made: Document, { sheets, pictures }: NonNullable<FramePage['carried']>): void {
  for (const link of made.querySelectorAll<HTMLLinkElement>('link[rel~="stylesheet"]'))
    if (sheets[link.getAttribute('href') ?? ''] !== undefined) link.setAttribute('disabled', '');
  putSheets(made, sheets);
  for (const name of ['src', 'href', 'poster'])
    for (const element of made.querySelectorAll(`[${name}]`)) {
      const data = pictures[element.getAttribute(name)!];
      if (data !== undefined) element.setAttribute(name, data);
    }
  for (const element of made.querySelectorAll('*'))
    for (const { name, value } of [...element.attributes]) {
      if (!/^on[a-z]+$/.test(name)) continue;
      element.removeAttribute(name);
      handle(element, name, value);
    }
}

function handle(element: Element, name: string, text: string): void {
  try {
    // As the platform does it: a function of the event whose `this` is the element.
    (element as unknown as Record<string, unknown>)[name] = new Function('event', text);
  } catch (error) {
    reportError(error);
  }
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
  putSheets(document, sheets);
  const elements = [...document.querySelectorAll<HTMLStyleElement>('style:not([data-usher-anvil])')];
  own.forEach((text, index) => {
    const element = elements[index];
    if (element && element.textContent !== text) element.textContent = text;
  });
}

function putSheets(into: Document, sheets: Record<string, string>): void {
  for (const link of into.querySelectorAll<HTMLLinkElement>('link[rel~="stylesheet"]')) {
    const text = sheets[link.getAttribute('href') ?? ''];
    if (text === undefined) continue;
    const next = link.nextElementSibling as HTMLStyleElement | null;
    const known = next?.localName === 'style' && next.dataset.usherAnvil !== undefined ? next : undefined;
    const style = known ?? into.createElement('style');
    style.dataset.usherAnvil = '';
    style.textContent = text;
    if (!known) link.after(style);
    link.disabled = true;
  }
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
 * @param hasKeys they are in this frame, or around it in the window
 * @returns what replaces the engine's own, and the function whose text it is to show
 */
export function leaveFocus(hasKeys: () => boolean): [object, object][] {
  return [HTMLElement, SVGElement].map(({ prototype }): [object, object] => {
    const native = prototype.focus;
    const { focus } = {
      focus(this: HTMLElement, ...args: Parameters<HTMLElement['focus']>): void {
        if (hasKeys()) Reflect.apply(native, this, args);
      },
    };
    Object.defineProperty(prototype, 'focus', { value: focus, writable: true, configurable: true, enumerable: true });
    return [focus, native];
  });
}
