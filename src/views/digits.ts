/** Numbers as margins show them: the digits that matter, with the cut shown. All of them stand where a value is open. */
import type { Value } from '../wire/value.js';

/** Significant digits of a number beside a line. */
const DIGITS = 6;

const FRACTION = /^(-?)(\d+)\.(\d+)(e[+-]\d+)?$/;

/**
 * Decimals that numbers may keep so that the largest has six significant digits; those of a series all have the same.
 * The whole part of a number is never cut.
 */
export function decimalsFor(values: readonly Value[]): number {
  let decimals = Infinity;
  for (const value of values) {
    const parts = value.type === 'number' ? FRACTION.exec(value.text ?? '') : null;
    if (!parts) continue;
    const [, , whole, fraction, exponent] = parts;
    // In 0.00012 the zeros are no digits that matter.
    const zeros = whole === '0' && exponent === undefined ? /^0*/.exec(fraction!)![0].length : 0;
    const digits = DIGITS - (whole === '0' ? 0 : whole!.length) + zeros;
    decimals = Math.min(decimals, Math.max(0, digits));
  }
  return decimals;
}

/** The text of a number with at most so many decimals; `…` says that there are more. */
export function cutNumber(text: string, decimals: number): string {
  const parts = FRACTION.exec(text);
  if (!parts || parts[3]!.length <= decimals) return text;
  const [, sign, whole, fraction, exponent = ''] = parts;
  const kept = fraction!.slice(0, decimals);
  return `${sign}${whole}${kept === '' ? '' : `.${kept}`}…${exponent}`;
}

/** A value with its numbers cut, also those inside; for those, each as if it stood alone. */
export function cutDigits(value: Value, decimals = decimalsFor([value])): Value {
  if (value.type === 'number') {
    const text = cutNumber(value.text ?? '', decimals);
    return text === value.text ? value : { ...value, text };
  }
  if (!value.entries || !value.entries.some(({ value: one }) => one.type === 'number' || one.entries)) return value;
  return { ...value, entries: value.entries.map((entry) => ({ ...entry, value: cutDigits(entry.value) })) };
}

/** A number for a sentence: as many digits as the others have. */
export function numberText(number: number, decimals: number): string {
  return cutNumber(String(number), decimals);
}
