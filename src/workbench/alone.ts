/** A panel in a window of its own, beside the one that has the code: what is opened there is shown here. */
import type { OpenValue } from './opened.js';

export type AlonePanel = 'dock' | 'side' | 'code';

/** What a window tells those with its panels. */
export type ToPanels = { inspect: { file: string; line: number } } | { open: OpenValue };

const channel = new BroadcastChannel(`panels of ${location.host}`);

/** The panel that this window shows alone; undefined where it shows them all. */
export function alonePanel(): AlonePanel | undefined {
  const given = new URLSearchParams(location.search).get('panel');
  return given === 'dock' || given === 'side' || given === 'code' ? given : undefined;
}

export function openAlone(panel: AlonePanel): void {
  window.open(addressOf(panel), `panel-${panel}`, 'width=720,height=640');
}

/** Where a panel alone is found. @param file that it shows first */
export function addressOf(panel: AlonePanel, file?: string): string {
  const address = new URL(location.href);
  address.searchParams.set('panel', panel);
  if (file !== undefined) address.searchParams.set('file', file);
  return address.href;
}

export function tellPanels(message: ToPanels): void {
  channel.postMessage(message);
}

export function onPanels(listener: (message: ToPanels) => void): void {
  channel.onmessage = (event: MessageEvent<ToPanels>) => listener(event.data);
}
