/**
 * The engine's messages print the code of a call that failed, and probes stand
 * in that code. Here the person's own text is put back.
 */
import * as own from './originals.js';

/** A place in instrumented code, and how its offsets lead back. */
export interface FailedCall {
  code: string;
  /** Where the engine says that the call stands. */
  offset: number;
  original: string;
  originalOf(offset: number): number;
}

export function mentionsProbes(message: string): boolean {
  return own.indexOf(message, '$ua') >= 0;
}

/** The message as it would be for the person's text. */
export function plainMessage(message: string, at?: FailedCall): string {
  if (!mentionsProbes(message)) return message;
  const named = message.replace(
    /\(0 ?, ?\$ua_*i\d+\.([\w$]+)\)|\$ua_*i\d+\.([\w$]+)/g,
    (_all: string, called?: string, read?: string) => called ?? read ?? '',
  );
  if (!mentionsProbes(named)) return named;
  const callee = at && calleeOf(at);
  // What is printed of a probe is its call, and behind it what the person wrote.
  const probe = /\(*\$ua_*\w+\(\.\.\.\)\)*/;
  if (callee !== undefined && own.test(probe, named)) return named.replace(probe, () => callee);
  return named.replace(/\$ua_*\w+(?:\(\.\.\.\))?/g, '(intermediate value)');
}

/** What the person wrote in the place of the probe that stands before a failed call, as the engine prints it. */
function calleeOf({ code, offset, original, originalOf }: FailedCall): string | undefined {
  // Back over `.name` to the parenthesis that closes the probe.
  let at = offset - 1;
  while (at >= 0 && own.test(/[\s.?[\]"'\w$]/, code[at]!)) at--;
  if (code[at] !== ')') return undefined;
  let depth = 0;
  const close = at;
  for (; at >= 0; at--) {
    if (code[at] === ')') depth++;
    else if (code[at] === '(' && --depth === 0) break;
  }
  const head = own.exec(/\$ua_*[wl]$/, own.slice(code, Math.max(0, at - 20), at));
  if (!head) return undefined;
  const comma = own.indexOf(code, ',', at);
  if (comma < 0 || comma > close) return undefined;
  const start = originalOf(comma + 1 + (own.exec(/^\(*/, own.slice(code, comma + 1, comma + 8))?.[0].length ?? 0));
  const end = originalOf(close);
  return end > start && start >= 0 ? printed(own.slice(original, start, end)) : undefined;
}

/** An expression as the engine prints it: what stands in parentheses is left out. */
export function printed(text: string): string {
  const line = text.replace(/\s*\n\s*/g, '');
  let result = '';
  let depth = 0;
  for (let i = 0; i < line.length; i++) {
    const character = line[i]!;
    if (character === ')') depth--;
    if (depth === 0) result += character;
    if (character === '(' && ++depth === 1) result += '...';
  }
  return result;
}
