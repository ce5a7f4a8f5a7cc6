/**
 * What the planner and the instrumentation make of kept texts, held against
 * what they made before: a move of code changes none of it, and a change of
 * behaviour shows where. `test/goldens` has a digest of each result;
 * `UPDATE_GOLDENS=1` writes them anew, and `GOLDENS_TEXTS=folder` writes the
 * results themselves, for comparing two versions of the code.
 */
import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { compile } from '#dist/instrument/compile.js';
import { liveModule, type LiveModule } from '#dist/patch/live-module.js';
import { planChanges, type Plan } from '#dist/patch/plan.js';
import { planObservation } from '#dist/patch/observe.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { CATALOGUE } from './edits/catalogue.js';
import { root } from './harness.js';
import { expressionEnds, markAt } from './mark-everything.js';
import { programs } from './programs.js';
import { outlineText } from './stage.js';
import { statements } from './statements.js';

const MARKS = ['/*~*/', '/*~ it */', '/*~ time: */', '/*~ when: it */', '/*~ keep: */', '/*~ plot: it */'];
const folder = join(root, 'test/goldens');

/** Results by case, each case with one text per way. */
type Results = Map<string, Map<string, string>>;

/** Compares results with the kept digests, and names the cases that differ. */
function compare(name: string, results: Results): void {
  const digest = (text: string): string => createHash('sha256').update(text).digest('base64url').slice(0, 12);
  const lines = [...results].map(
    ([title, ways]) => `${title}\t${[...ways].map(([way, text]) => `${way}:${digest(text)}`).join(' ')}`,
  );
  const path = join(folder, `${name}.txt`);
  const texts = process.env.GOLDENS_TEXTS;
  if (texts) {
    mkdirSync(texts, { recursive: true });
    const written = [...results].flatMap(([title, ways]) =>
      [...ways].map(([way, text]) => `==== ${title} (${way})\n${text}\n`),
    );
    writeFileSync(join(texts, `${name}.txt`), written.join(''));
  }
  if (process.env.UPDATE_GOLDENS) writeFileSync(path, `${lines.join('\n')}\n`);
  const kept = new Set(readFileSync(path, 'utf8').trimEnd().split('\n'));
  expect(lines.filter((line) => !kept.has(line))).toEqual([]);
  expect(kept.size).toBe(lines.length);
}

/** Maps and sets as lists, without the trees of the text. */
const plain = (value: unknown): string =>
  JSON.stringify(
    value,
    (_key, inner: unknown) =>
      inner instanceof Map
        ? [...inner].map((entry) => entry as unknown)
        : inner instanceof Set
          ? [...inner].map((one) => one as unknown)
          : inner,
    1,
  );

function moduleText(module: LiveModule): string {
  const { functions, lines, classes, nextSlot, changed, size, late, keys, links, bound, gone } = module;
  return plain({
    functions: functions.map((list) => list.map((one) => Object.values(one))),
    lines,
    classes: classes.map((one) => Object.values(one)),
    nextSlot,
    changed,
    size,
    late,
    keys,
    links,
    bound,
    gone: [...gone.keys()],
  });
}

function planText({ steps, notes, waiting, resets, changes, next }: Plan): string {
  return `${plain({ steps, notes, waiting, resets, changes })}\n${moduleText(next)}`;
}

test('plans for the edits of the catalogue, there and back, and through all texts of a group', () => {
  const results: Results = new Map();
  const running = new Map<string, LiveModule>();
  for (const { group, name, file, before, after } of CATALOGUE) {
    const files = typeof before === 'string' ? { [file]: before } : before;
    const now = typeof after === 'string' ? { [file]: after } : after;
    for (const [path, text] of Object.entries(files)) {
      if (now[path] === undefined || !/\.[cm]?[jt]sx?$/.test(path)) continue;
      const old = outlineText(path, text);
      let changed;
      try {
        changed = outlineText(path, now[path]);
      } catch {
        continue; // A text that does not parse is refused before there is a plan.
      }
      const ways = new Map<string, string>();
      const there = planChanges(liveModule(old), changed, nodeTranslator);
      ways.set('there', planText(there));
      ways.set('back', planText(planChanges(there.next, outlineText(path, text), nodeTranslator)));
      ways.set('bound', planText(planChanges(liveModule(old, 'module'), changed, nodeTranslator)));
      const key = `${group} ${path}`;
      const chain = running.get(key);
      if (chain) {
        const through = planChanges(chain, old, nodeTranslator);
        ways.set('through', planText(through));
        running.set(key, planChanges(through.next, changed, nodeTranslator, ['a']).next);
      } else running.set(key, there.next);
      results.set(`${group}, ${name}, ${path}`, ways);
    }
  }
  expect(results.size).toBeGreaterThan(200);
  compare('plans', results);
});

test('plans to observe the functions of the catalogue', () => {
  const results: Results = new Map();
  for (const { group, name, file, before, after } of CATALOGUE) {
    const texts = [before, after].map((one) => (typeof one === 'string' ? one : one[file]));
    if (texts[0] === undefined) continue;
    const ways = new Map<string, string>();
    for (const depth of ['counts', 'values'] as const) {
      const outline = outlineText(file, texts[0]);
      const observe = (module: LiveModule): string => {
        const { steps, sites, parts, next } = planObservation(
          module,
          new Map(module.outline.functions.map((_, index) => [index, depth])),
          7,
          nodeTranslator,
        );
        return `${plain({ steps, sites, parts })}\n${moduleText(next)}`;
      };
      ways.set(depth, observe(liveModule(outline)));
      try {
        if (texts[1] !== undefined)
          ways.set(
            `${depth} when changed`,
            observe(planChanges(liveModule(outline), outlineText(file, texts[1]), nodeTranslator).next),
          );
      } catch {
        // The later text does not parse.
      }
    }
    results.set(`${group}, ${name}`, ways);
  }
  compare('observing', results);
});

/** Every form a text is compiled to. */
function compiled(file: string, text: string, depths: readonly ('off' | 'counts' | 'values')[]): Map<string, string> {
  const ways = new Map<string, string>();
  for (const depth of depths)
    for (const patchable of [false, true])
      for (const form of ['linked', file.endsWith('.cjs') ? 'script' : 'module'] as const)
        for (const cyclic of form === 'linked' ? [false, true] : [false]) {
          const parsed = parse(text, { file, packageType: /\.cjs$/.test(file) ? 'commonjs' : 'module' });
          if (!parsed.program) continue;
          const way = `${depth}${patchable ? '+patchable' : ''}${form === 'linked' ? '' : '+alone'}${cyclic ? '+cyclic' : ''}`;
          try {
            const { code, sites, generated, source, notes, keeps } = compile(outlineOf(parsed), {
              depth,
              form,
              patchable,
              cyclic,
              translator: nodeTranslator,
            });
            ways.set(
              way,
              `${code}\n${plain({ sites, notes, keeps: keeps.map(({ id }) => id), generated: [...generated], source: [...source] })}`,
            );
          } catch (error) {
            ways.set(way, `refused: ${(error as Error).message}`);
          }
        }
  return ways;
}

test('instrumented code of the examples and the test programs', () => {
  const results: Results = new Map();
  const depths = ['off', 'counts', 'values'] as const;
  for (const name of readdirSync(join(root, 'examples'), { recursive: true, encoding: 'utf8' }).sort())
    if (/(?<!\.d)\.([cm]?[jt]s|tsx)$/.test(name) && !name.includes('node_modules'))
      results.set(name, compiled(name, readFileSync(join(root, 'examples', name), 'utf8'), depths));
  for (const [name, text] of Object.entries(programs)) {
    results.set(name, compiled('canal.cjs', text, depths));
    results.set(`${name}, as a module`, compiled('canal.mjs', text, depths));
    let ends: number[] = [];
    try {
      ends = expressionEnds(text).filter((_, index) => index % 5 === 2);
    } catch {
      // The parser that finds the expressions does not take it.
    }
    MARKS.forEach((mark, turn) => {
      const chosen = ends.filter((_, index) => index % MARKS.length === turn);
      if (chosen.length > 0)
        results.set(`${name}, with ${mark}`, compiled('canal.cjs', markAt(text, chosen, mark), ['values']));
    });
  }
  statements.forEach((text, index) =>
    results.set(`statement ${index + 1}`, compiled('canal.cjs', text.replaceAll('§', '1'), depths)),
  );
  compare('code', results);
});
