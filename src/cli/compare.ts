/** `usher-anvil compare`: two ways to do something, whether they give the same, and which is faster. */
import { basename, relative } from 'node:path';
import { compareWays, type AskedWay } from '../hosts/node/comparing/compare.js';
import { textsAt } from '../hosts/node/comparing/revision.js';
import { padPath } from '../hosts/node/files.js';
import { AnvilError } from '../syntax/problems.js';
import { comparisonLines, PLAIN_COMPARISON, verdictText } from '../views/comparison-text.js';
import { comparisonHtml } from '../views/share/comparison-html.js';
import { duration } from './execute.js';
import { harmless, makePaint, wantsColour } from './paint.js';

export interface CompareOptions {
  export?: string;
  against?: string;
  time: string;
  inputs?: string;
  format: string;
}

/**
 * Compares, and prints what came of it.
 *
 * @returns the exit code: 0 both give the same, 1 they differ
 * @throws AnvilError `E_OPTION` for a wrong option; `E_COMPARE` where one of them cannot be loaded or called
 */
export async function compareCommand(
  first: string,
  second: string | undefined,
  options: CompareOptions,
): Promise<number> {
  if (!['text', 'json', 'html'].includes(options.format))
    throw new AnvilError('E_OPTION', `--format is "${options.format}". It is one of text, json, html.`);
  const forMs = options.time === '0' ? 0 : duration(options.time, '--time');
  const most = options.inputs === undefined ? undefined : Number(options.inputs);
  if (most !== undefined && !(Number.isInteger(most) && most >= 0))
    throw new AnvilError('E_OPTION', `--inputs is "${options.inputs!}". It is a number of inputs, as 5000.`);
  const [baseline, candidate] = waysOf(first, second, options);
  const isTold = process.stderr.isTTY && options.format === 'text';
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const comparison = await compareWays({
    ...{ baseline, candidate, forMs },
    ...(most === undefined ? {} : { most }),
    progress(what, timing) {
      if (!isTold) return;
      const text = timing
        ? `${timing.pairs} pairs: ${verdictText(candidate.name, baseline.name, timing, PLAIN_COMPARISON)}`
        : what;
      process.stderr.write(`\r\u001b[K${harmless(text).slice(0, (process.stderr.columns || 80) - 1)}`);
    },
  });
  if (isTold) process.stderr.write('\r\u001b[K');
  if (options.format === 'json') process.stdout.write(`${JSON.stringify(comparison, null, 2)}\n`);
  else if (options.format === 'html') process.stdout.write(comparisonHtml(comparison));
  else
    for (const line of comparisonLines(comparison, {
      dim: (text) => paint.dim(harmless(text)),
      bad: (text) => paint.fail(harmless(text)),
      good: (text) => paint.pass(harmless(text)),
      value: (text) => paint.value(harmless(text)),
    }))
      process.stdout.write(`${line}\n`);
  return comparison.equality.differing > 0 ? 1 : 0;
}

function waysOf(
  first: string,
  second: string | undefined,
  { export: names, against }: CompareOptions,
): [AskedWay, AskedWay] {
  const cwd = process.cwd();
  const file = padPath(first, cwd);
  const [one = 'default', two = one, ...more] = names?.split(',').map((name) => name.trim()) ?? [];
  if (more.length > 0) throw new AnvilError('E_OPTION', '--export names one function, or two with a comma between.');
  const shown = (path: string, name: string): string =>
    name === 'default' ? relative(cwd, path) || basename(path) : name;
  if (against !== undefined) {
    if (second !== undefined) throw new AnvilError('E_OPTION', '--against takes one file: it is compared with itself.');
    const way = { file, export: one };
    const name = shown(file, one);
    return [
      { ...way, name: `${name} of ${against}`, revision: against, texts: textsAt(file, against) },
      { ...way, name: `${name} now` },
    ];
  }
  const other = second === undefined ? file : padPath(second, cwd);
  if (other === file && one === two)
    throw new AnvilError(
      'E_OPTION',
      'Two ways are needed: another file, --export first,second of one file, or --against a revision.',
    );
  const [a, b] = [shown(file, one), shown(other, two)];
  const apart = a === b;
  return [
    { name: apart ? `${a} of ${relative(cwd, file)}` : a, file, export: one },
    { name: apart ? `${b} of ${relative(cwd, other)}` : b, file: other, export: two },
  ];
}
