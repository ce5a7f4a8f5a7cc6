/** The heat rail as pictures in the margin: each state has a shape of its own, in both themes. */
import { type DecorationRenderOptions, type TextEditorDecorationType, Uri, window } from 'vscode';
import type { LineMessage } from '../../../src/server/protocol.js';

interface Colours {
  cold: string;
  straw: string;
  amber: string;
  fail: string;
}

const LIGHT: Colours = { cold: '#7f97ad', straw: '#c29a37', amber: '#d9711f', fail: '#7a3fc2' };
const DARK: Colours = { cold: '#6d88a1', straw: '#c9a64f', amber: '#ee8a3c', fail: '#b58cf0' };
/** Width of a bar by heat: once, 2–9, 10–99, 100 and more. */
const WIDTHS = [3, 3, 5, 7, 9];

/** What a line's picture is of; empty for none. */
export function railKey({ state, heat, hits, way }: LineMessage): string {
  return state === 'none' ? (way ? 'none 0 way' : '') : `${state} ${hits >= 1_000 ? 5 : heat}${way ? ' way' : ''}`;
}

export function railType(key: string): TextEditorDecorationType {
  const picture = (colours: Colours): DecorationRenderOptions => ({
    gutterIconPath: Uri.parse(`data:image/svg+xml;base64,${Buffer.from(drawn(key, colours)).toString('base64')}`),
    gutterIconSize: 'contain',
  });
  return window.createTextEditorDecorationType({ light: picture(LIGHT), dark: picture(DARK) });
}

function drawn(key: string, colours: Colours): string {
  const [state = 'none', level = '0', way] = key.split(' ');
  const heat = Number(level);
  const parts: string[] = [];
  const width = WIDTHS[Math.min(heat, 4)]!;
  const colour = heat <= 1 ? colours.cold : heat < 5 ? colours.straw : colours.amber;
  if (state === 'never')
    parts.push(`<path d="M9 1V18" stroke="${colours.cold}" stroke-width="1.5" stroke-dasharray="1.5 3"/>`);
  else if (state === 'failed') parts.push(`<path d="M5 0H12V12L5 18Z" fill="${colours.fail}"/>`);
  else if (state === 'partly') parts.push(`<path d="M5 0h${width}v6l-2.5 3l2.5 3v6h-${width}Z" fill="${colour}"/>`);
  else if (state === 'ran') parts.push(`<rect x="5" width="${width}" height="18" fill="${colour}"/>`);
  if (way) parts.push(`<path d="M2 0V18" stroke="${colours.fail}" stroke-width="1.5"/>`);
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 18 18" width="18" height="18">${parts.join('')}</svg>`;
}
