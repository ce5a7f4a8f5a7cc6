/** Kinds of code in which a Node program, or a pad, stands still. */
import { join } from 'node:path';
import { createLive, createSession } from 'usher-anvil';
import type { PausingFace } from '#dist/session/live/pausing/face.js';
import { valueText } from '#dist/runtime/text.js';
import { entered, eventually, folder, inTurn, executes } from './harness.js';
import { casesModule, NAMES, tryCase, type CaseProgram } from './pausing-cases.js';

let end: () => unknown;
afterEach(() => end());

/** What both are asked while they stand still. */
function asked(pausing: PausingFace, file: string, text: string): Omit<CaseProgram, 'call' | 'result'> {
  const lines = text.split('\n');
  return {
    lineOf: (n) => lines.findIndex((line) => line.includes(`out(${n}, `)),
    set: (line) => pausing.set({ file, line }),
    clear: (id) => pausing.remove(id),
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
  };
}

async function begin(style: 'module' | 'commonjs'): Promise<CaseProgram> {
  const made = `${casesModule("console.log('case ' + n + ' ' + value)")}setInterval(() => undefined, 1_000)\nconsole.log('ready')\n`;
  const text = style === 'module' ? made : made.replace('export const cases =', 'const cases = exports.cases =');
  const file = join(folder({ 'main.mjs': made, 'main.cjs': text }), style === 'module' ? 'main.mjs' : 'main.cjs');
  let output = '';
  const live = createLive({ file, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  const { session } = live;
  end = () => session.stop();
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.includes('ready'));
  await executes(session, file);
  return {
    ...asked(session.pausing, file, text),
    call: (n) => entered(session, file, `void setTimeout(() => cases[${n}]())`),
    result: (n) => eventually(() => new RegExp(`case ${n} (.*)`).exec(output)?.[1]),
  };
}

/** A pad: each case is called at the end of its text, in a run of its own. */
function beginPad(target: 'worker' | 'process'): CaseProgram {
  const text = casesModule("console.log('case ' + n + ' ' + value)");
  const file = join(folder({ 'pad.mjs': text }), 'pad.mjs');
  const pad = createSession({ file, target });
  end = () => pad.close();
  return {
    ...asked(pad.pausing, file, text),
    call(n) {
      pad.edit(file, `${text}setTimeout(() => cases[${n}]())\n`);
      return Promise.resolve();
    },
    result: (n) =>
      eventually(() => {
        const said = pad.record?.console.map((line) => line.text).join('\n') ?? '';
        return new RegExp(`case ${n} (.*)`).exec(said)?.[1];
      }),
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

test.each(['worker', 'process'] as const)('a pad (in a %s) stops in each kind of code', async (target) => {
  const program = beginPad(target);
  const wrong: string[] = [];
  for (const n of inTurn([...NAMES.keys()], 2)) wrong.push(...(await tryCase(program, n)));
  expect(wrong).toEqual([]);
});
