/** Kinds of code in which a Node program stands still. */
import { join } from 'node:path';
import { createLive, type NodeLive } from 'usher-anvil';
import { valueText } from '#dist/runtime/text.js';
import { entered, eventually, folder, inTurn } from './harness.js';
import { casesModule, NAMES, tryCase, type CaseProgram } from './pausing-cases.js';

let live: NodeLive;
afterEach(() => live.session.stop());

async function begin(style: 'module' | 'commonjs'): Promise<CaseProgram> {
  const made = `${casesModule("console.log('case ' + n + ' ' + value)")}setInterval(() => undefined, 1_000)\nconsole.log('ready')\n`;
  const text = style === 'module' ? made : made.replace('export const cases =', 'const cases = exports.cases =');
  const file = join(folder({ 'main.mjs': made, 'main.cjs': text }), style === 'module' ? 'main.mjs' : 'main.cjs');
  let output = '';
  live = createLive({ file, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  const { session } = live;
  const { pausing } = session;
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.includes('ready'));
  const lines = text.split('\n');
  return {
    lineOf: (n) => lines.findIndex((line) => line.includes(`out(${n}, `)),
    set: (line) => pausing.set({ file, line }),
    clear: (id) => pausing.remove(id),
    call: (n) => entered(session, file, `void setTimeout(() => cases[${n}]())`),
    stands: () => eventually(() => pausing.all[0]?.frames[0]?.line),
    names: async () => {
      const answer = await pausing.scopes(0);
      return answer.is === 'scopes' ? answer.scopes.flatMap(({ variables }) => variables.map(({ name }) => name)) : [];
    },
    evaluate: async (expression) => {
      const answer = await pausing.evaluate(expression, 0);
      return answer.is === 'value' ? valueText(answer.value) : JSON.stringify(answer);
    },
    goOn: () => pausing.go({ how: 'on' }),
    result: (n) => eventually(() => new RegExp(`case ${n} (.*)`).exec(output)?.[1]),
  };
}

/** The engine's debugger finds the name of the constructor that the version stands in, which is not declared yet. */
const isKnown = (text: string): boolean =>
  /^a constructor behind super: (?:(?:weight|assigned): .*before initialization|what comes out: 26 )/.test(text);

test.each(['module', 'commonjs'] as const)(
  'a program (%s) stops in each kind of code, shows and takes its variables, and goes on',
  async (style) => {
    const program = await begin(style);
    const wrong: string[] = [];
    for (const n of inTurn([...NAMES.keys()], 2)) wrong.push(...(await tryCase(program, n)));
    expect(wrong.filter((text) => !isKnown(text))).toEqual([]);
  },
);
