import fc from 'fast-check';
import { instrument } from 'usher-anvil/instrument';
import { both } from './harness.js';
import { Stage } from './stage.js';

/**
 * Generated programs: statements over a few variables and functions, nested a
 * few levels, that print as they go. Loops are bounded, so all of them end.
 */
const name = fc.constantFrom('a', 'b', 'c');
const literal = fc.oneof(
  fc.integer({ min: -9, max: 9 }).map(String),
  fc.constantFrom("'x'", 'null', 'undefined', 'true', '[1, 2]', '{ k: 3 }', '1n', '/r/g', '`t${a}`', '-0'),
);

const { expression } = fc.letrec<{ expression: string }>((tie) => ({
  expression: fc.oneof(
    { maxDepth: 3, depthSize: 'small' },
    literal,
    name,
    fc
      .tuple(tie('expression'), fc.constantFrom('+', '===', '!==', '&&', '||', ',', '<'), tie('expression'))
      .map(([left, operator, right]) => `(${left} ${operator} ${right})`),
    fc.tuple(tie('expression'), tie('expression')).map(([left, right]) => `((${left}) ?? (${right}))`),
    fc
      .tuple(tie('expression'), tie('expression'), tie('expression'))
      .map(([test, yes, no]) => `(${test} ? ${yes} : ${no})`),
    fc
      .tuple(name, fc.constantFrom('=', '+=', '??=', '||=', '&&='), tie('expression'))
      .map(([target, operator, value]) => `(${target} ${operator} ${value})`),
    tie('expression').map((value) => `say(${value})`),
    tie('expression').map((value) => `((p = ${value}, ...rest) => [p, rest.length])(undefined, 1)`),
    tie('expression').map(
      (value) => `(() => { try { return ${value} } catch (e) { return e.name } finally { say('f') } })()`,
    ),
    tie('expression').map((value) => `({ m() { return this.v }, v: ${value} }).m?.()`),
    fc
      .tuple(tie('expression'), tie('expression'))
      .map(([first, second]) => `[...(function* () { yield ${first}; yield ${second} })()].length`),
    tie('expression').map((value) => `(typeof ${value})`),
    tie('expression').map((value) => `new (class { #x = ${value}; static s = 1; get x() { return this.#x } })().x`),
  ),
}));

const { statement } = fc.letrec<{ statement: string }>((tie) => {
  const block = fc.array(tie('statement'), { maxLength: 3 }).map((list) => `{ ${list.join('\n')} }`);
  return {
    statement: fc.oneof(
      { maxDepth: 3, depthSize: 'small' },
      expression.map((value) => `say(${value})`),
      fc.tuple(name, expression).map(([target, value]) => `${target} = ${value}`),
      fc
        .tuple(name, fc.constantFrom('++', '--'))
        .map(([target, operator]) => `if (typeof ${target} === 'number') ${target}${operator}`),
      expression.map((value) => `{ const { x = ${value}, ...o } = { y: 1 }, [z] = [${value}]; say([x, z, o]) }`),
      fc
        .tuple(expression, tie('statement'), tie('statement'))
        .map(([test, yes, no]) => `if (${test}) { ${yes} } else { ${no} }`),
      fc.tuple(expression, tie('statement')).map(([test, yes]) => `if (${test})\n{ ${yes} }`),
      fc
        .tuple(fc.integer({ min: 0, max: 3 }), block)
        .map(([times, body]) => `for (let i = 0; i < ${times}; i++) ${body}`),
      block.map((body) => `for (const v of [1, 2]) { say(v); ${body} }`),
      fc
        .tuple(fc.integer({ min: 0, max: 2 }), block, fc.constantFrom('break', 'continue'))
        .map(
          ([times, body, leave]) =>
            `l: for (let n = ${times}; n-- > 0;) { ${body}\nfor (const q in { q: 1 }) ${leave} l }`,
        ),
      block.map((body) => `try { ${body}\nthrow new Error('t') } catch (e) { say(e.message) } finally { say('end') }`),
      fc
        .tuple(expression, expression)
        .map(([value, test]) => `switch (${value}) { case ${test}: say('case')\ndefault: say('default') }`),
      fc
        .tuple(expression, block)
        .map(([value, body]) => `say((function (p = ${value}) { ${body}\nreturn arguments.length + 1 })())`),
      fc
        .tuple(expression, block)
        .map(
          ([value, body]) =>
            `(async () => { ${body}\nsay(await ${value}); await null; say('later') })().catch((e) => say(e.name))`,
        ),
      block.map(
        (body) => `(async function* () { ${body}\nyield 1 })().next().then((r) => say(r.value), (e) => say(e.name))`,
      ),
    ),
  };
});

/** Every legal way to end a statement, and some that may make one of two. */
const ending = fc.constantFrom(
  '\n',
  '\n',
  ';',
  ';\n',
  '\r\n',
  '\u2028',
  ' /* c */\n',
  ' // c\n',
  '/*\n*/',
  '\n/* c */ ',
  '\n\n;',
);

const program = fc
  .array(fc.tuple(statement, ending), { minLength: 1, maxLength: 6 })
  .map(
    (list) =>
      `let a = 1, b = 'two', c = null\nconst say = (v) => { out(v); return v }\n${list.map(([text, end]) => text + end).join('')}\nout(a, b, c)\n`,
  );

test('generated programs print the same plain and instrumented, and every range is a slice of the text', async () => {
  await fc.assert(
    fc.asyncProperty(
      program,
      fc.constantFrom('counts' as const, 'values' as const, 'live' as const),
      async (text, how) => {
        // Labels may clash; such a text is no program.
        fc.pre(instrument(text, { file: 'a.cjs' }).problems.length === 0);
        const depth = how === 'live' ? 'off' : how;
        const { plain, instrumented } = await both(text, depth, 'canal.cjs', how === 'live');
        // The engine prints parts of the source in some messages, probes among them.
        const bare = (line: string) =>
          line.replace(/^(\w+: )?.* is not (a function|iterable|a constructor)/, '$1… is not $2');
        const told = (trace: typeof plain) => ({ lines: trace.lines.map(bare), error: bare(trace.error) });
        expect(told(instrumented)).toEqual(told(plain));
        for (const site of instrument(text, { file: 'a.cjs', depth }).sites)
          expect(site.start <= site.end && site.end <= text.length && site.start >= 0).toBe(true);
      },
    ),
    { numRuns: 400 },
  );
});

test('generated programs print the same when all of their functions are observed', async () => {
  const shown = (value: unknown): string =>
    typeof value === 'function'
      ? `function ${value.name}`
      : typeof value === 'bigint'
        ? `${value}n`
        : Object.is(value, -0)
          ? '-0'
          : (JSON.stringify(value) ?? String(value));
  await fc.assert(
    fc.asyncProperty(program, fc.constantFrom('counts' as const, 'values' as const), async (text, depth) => {
      const source = `export function run(out) {\n${text}}\n`;
      fc.pre(instrument(source, { file: 'a.mjs' }).problems.length === 0);
      const stage = new Stage({ 'main.js': source }, '/canal/main.js');
      await stage.start();
      const trace = async (): Promise<string[]> => {
        const lines: string[] = [];
        try {
          (stage.m.run as (out: (...values: unknown[]) => void) => void)((...values) =>
            lines.push(values.map(shown).join(' ')),
          );
        } catch (error) {
          lines.push(`threw ${(error as Error).name}`);
        }
        for (let i = 0; i < 6; i++) await new Promise((resolve) => setImmediate(resolve));
        return lines;
      };
      // The engine prints parts of the source in some messages, probes among them.
      const bare = (lines: string[]): string[] =>
        lines.map((line) => line.replace(/.* is not (a function|iterable|a constructor)/, '… is not $1'));
      const plain = bare(await trace());
      stage.observe(depth);
      expect(stage.unobserved).toEqual([]);
      expect(bare(await trace())).toEqual(plain);
    }),
    { numRuns: 250 },
  );
});
