/** Lines of text that carry the same few numbers over and over. */

const NUMBER = /(?<![\w.])[-+]?(?:\d+\.\d+|\d+|\.\d+)(?:e[-+]?\d+)?(?![\w])/gi;
/** More numbers than this are no reading of a device. */
const MOST = 12;

/**
 * The shape of a line: its text with every number as `#`; undefined when it
 * holds none, or more than {@link MOST}.
 */
export function shapeOf(text: string): string | undefined {
  if (text.length > 400) return undefined;
  let count = 0;
  const shape = text.replace(NUMBER, () => {
    count++;
    return '#';
  });
  return count > 0 && count <= MOST ? shape : undefined;
}

/** The numbers of a line in order. */
export function numbersOf(text: string): number[] {
  return [...text.matchAll(NUMBER)].map(([number]) => Number(number));
}

/** A name for each number of a shape: the word before it, else its position. */
export function namesOf(shape: string): string[] {
  const parts = shape.split('#');
  const names: string[] = [];
  for (let i = 0; i < parts.length - 1; i++) {
    const words = parts[i]!.match(/[\p{L}_$][\p{L}\p{N}_$]*/gu);
    const name = words?.[words.length - 1] ?? `number ${i + 1}`;
    names.push(names.includes(name) ? `${name} ${i + 1}` : name);
  }
  return names;
}

/** Points as comma-separated values with a head line; seconds first. */
export function csvOf(names: readonly string[], points: readonly (readonly number[])[]): string {
  const cell = (text: string): string => (/[",\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);
  return `${['seconds', ...names].map(cell).join(',')}\n${points.map((point) => point.map((value, i) => (i === 0 ? (value / 1000).toFixed(3) : String(value))).join(',')).join('\n')}\n`;
}
