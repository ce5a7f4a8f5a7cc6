/** Colour and width for terminals. Everything said by colour is also said by shape or word. */
import pc from 'picocolors';
import stringWidth from 'string-width';

type Painter = ReturnType<typeof pc.createColors>;

export interface Paint {
  cold: (text: string) => string;
  straw: (text: string) => string;
  amber: (text: string) => string;
  fail: (text: string) => string;
  pass: (text: string) => string;
  value: (text: string) => string;
  dim: (text: string) => string;
  bold: (text: string) => string;
}

export function makePaint(colour: boolean): Paint {
  const c: Painter = pc.createColors(colour);
  return {
    cold: c.blue,
    straw: c.yellow,
    amber: c.yellowBright,
    fail: c.magenta,
    pass: c.green,
    value: c.cyan,
    dim: c.dim,
    bold: c.bold,
  };
}

/** Whether a stream wants colour: a terminal, and `NO_COLOR` not set. */
export function wantsColour(stream: { isTTY?: boolean }, env: NodeJS.ProcessEnv): boolean {
  if (env.NO_COLOR !== undefined && env.NO_COLOR !== '') return false;
  if (env.FORCE_COLOR !== undefined && env.FORCE_COLOR !== '0') return true;
  return stream.isTTY === true && env.TERM !== 'dumb';
}

/** Control characters as visible ones, so that no text of a pad can steer the terminal. */
export function harmless(text: string): string {
  return text.replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f]/g, (character) =>
    character.charCodeAt(0) < 0x20 ? String.fromCharCode(0x2400 + character.charCodeAt(0)) : '\u2421',
  );
}

export function widthOf(text: string): number {
  return stringWidth(text);
}

/** Cuts a text without colours to at most `width` columns; what is cut ends in `…`. */
export function cut(text: string, width: number): string {
  if (width <= 0) return '';
  if (widthOf(text) <= width) return text;
  let used = 0;
  let result = '';
  for (const character of text) {
    const wide = widthOf(character);
    if (used + wide > width - 1) break;
    used += wide;
    result += character;
  }
  return `${result}…`;
}

export function pad(text: string, width: number): string {
  return text + ' '.repeat(Math.max(0, width - widthOf(text)));
}
