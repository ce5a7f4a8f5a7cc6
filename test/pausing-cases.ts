/**
 * Situations in which a program stands still: kinds of code in which a breakpoint is. In each, `weight` begins as the
 * number of the case, and twice of it comes out where the breakpoint stands.
 */

/** By name: code with a breakpoint at `out(n, …)`, and what calls it. */
const KINDS: Readonly<Record<string, (n: number, body: string) => { code: string; call: string }>> = {
  'a function': (n, body) => ({ code: `function f${n}() {\n${body}\n}`, call: `f${n}` }),
  'a function expression': (n, body) => ({ code: `const f${n} = function () {\n${body}\n}`, call: `f${n}` }),
  'an arrow function': (n, body) => ({ code: `const f${n} = () => {\n${body}\n}`, call: `f${n}` }),
  'an async function': (n, body) => ({ code: `async function f${n}() {\n${body}\n}`, call: `f${n}` }),
  'an async function, behind an await': (n, body) => ({
    code: `async function f${n}() {\n  await null\n${body}\n}`,
    call: `f${n}`,
  }),
  'a generator': (n, body) => ({ code: `function* f${n}() {\n  yield 1\n${body}\n}`, call: `() => [...f${n}()]` }),
  'an async generator': (n, body) => ({
    code: `async function* f${n}() {\n  yield 1\n${body}\n}`,
    call: `async () => {\n  for await (const one of f${n}()) if (one > 1) break\n}`,
  }),
  'a method': (n, body) => ({
    code: `class Lock${n} {\n  fill() {\n${body}\n  }\n}`,
    call: `() => new Lock${n}().fill()`,
  }),
  'a static method': (n, body) => ({
    code: `class Lock${n} {\n  static fill() {\n${body}\n  }\n}`,
    call: `() => Lock${n}.fill()`,
  }),
  'a private method': (n, body) => ({
    code: `class Lock${n} {\n  #fill() {\n${body}\n  }\n  run() {\n    this.#fill()\n  }\n}`,
    call: `() => new Lock${n}().run()`,
  }),
  'a getter': (n, body) => ({
    code: `class Lock${n} {\n  get level() {\n${body}\n    return 1\n  }\n}`,
    call: `() => new Lock${n}().level`,
  }),
  'a setter': (n, body) => ({
    code: `class Lock${n} {\n  set level(to) {\n${body}\n  }\n}`,
    call: `() => (new Lock${n}().level = 2)`,
  }),
  'a constructor': (n, body) => ({
    code: `class Lock${n} {\n  constructor() {\n${body}\n  }\n}`,
    call: `() => new Lock${n}()`,
  }),
  'a constructor behind super': (n, body) => ({
    code: `class Gate${n} {}\nclass Lock${n} extends Gate${n} {\n  constructor() {\n    super()\n${body}\n  }\n}`,
    call: `() => new Lock${n}()`,
  }),
  'a method of an object': (n, body) => ({
    code: `const lock${n} = {\n  fill() {\n${body}\n  },\n}`,
    call: `() => lock${n}.fill()`,
  }),
  'a closure': (n, body) => ({
    code: `function keeper${n}() {\n  let calls = 0\n  return () => {\n    calls++\n${body}\n  }\n}`,
    call: `keeper${n}()`,
  }),
  'a callback of an array': (n, body) => ({
    code: `function f${n}() {\n  ;[1].forEach((one) => {\n${body}\n  })\n}`,
    call: `f${n}`,
  }),
  'the expression of an arrow function': (n) => ({
    code: `const f${n} = (weight = ${n}) =>\n  out(${n}, weight * 2)`,
    call: `() => f${n}()`,
  }),
  'a loop': (n, body) => ({ code: `function f${n}() {\n  for (const one of [1]) {\n${body}\n  }\n}`, call: `f${n}` }),
  'a branch without braces': (n) => ({
    code: `function f${n}() {\n  let weight = ${n}\n  if (weight < 0) return\n  else\n    out(${n}, weight * 2)\n}`,
    call: `f${n}`,
  }),
  'a case of a switch': (n, body) => ({
    code: `function f${n}() {\n  switch (1) {\n    case 1: {\n${body}\n      break\n    }\n  }\n}`,
    call: `f${n}`,
  }),
  'a catch': (n, body) => ({
    code: `function f${n}() {\n  try {\n    throw new Error('dry')\n  } catch (error) {\n${body}\n  }\n}`,
    call: `f${n}`,
  }),
  'a finally': (n, body) => ({
    code: `function f${n}() {\n  try {\n    return 1\n  } finally {\n${body}\n  }\n}`,
    call: `f${n}`,
  }),
  'a function that takes itself apart': (n, body) => ({
    code: `function f${n}({ deep: [first] }, ...rest) {\n${body}\n}`,
    call: `() => f${n}({ deep: [1] }, 2)`,
  }),
  'a recursion, at its end': (n) => ({
    code: `function f${n}(weight, turns) {\n  if (turns > 0) return f${n}(weight, turns - 1)\n  out(${n}, weight * 2)\n}`,
    call: `() => f${n}(${n}, 3)`,
  }),
  'a timer': (n, body) => ({ code: `function f${n}() {\n  setTimeout(() => {\n${body}\n  }, 1)\n}`, call: `f${n}` }),
  'a callback of a promise': (n, body) => ({
    code: `const f${n} = () => Promise.resolve().then(() => {\n${body}\n})`,
    call: `f${n}`,
  }),
  'a method that text is made by': (n, body) => ({
    code: `const gate${n} = {\n  toJSON() {\n${body}\n    return 1\n  },\n}`,
    call: `() => JSON.stringify(gate${n})`,
  }),
  'a proxy’s trap': (n, body) => ({
    code: `const gate${n} = new Proxy({}, {\n  get() {\n${body}\n    return 1\n  },\n})`,
    call: `() => gate${n}.any`,
  }),
  'an iterator': (n, body) => ({
    code: `const list${n} = {\n  [Symbol.iterator]() {\n${body}\n    return [][Symbol.iterator]()\n  },\n}`,
    call: `() => [...list${n}]`,
  }),
};

export const NAMES = Object.keys(KINDS);

/** A module with all of them; `cases` calls each by its number, and what comes out is told with `tell`. */
export function casesModule(tell: string): string {
  const made = Object.values(KINDS).map((write, n) => write(n, `    let weight = ${n}\n    out(${n}, weight * 2)`));
  return `const out = (n, value) => ${tell}
${made.map(({ code }) => code).join('\n')}
export const cases = [
${made.map(({ call }) => `  ${call},`).join('\n')}
]
`;
}

/** What a program that stands still is asked. */
export interface CaseProgram {
  /** The line of each case’s breakpoint, from 0. */
  lineOf(n: number): number;
  set(line: number): Promise<{ id: number; state: string; why?: string }>;
  clear(id: number): Promise<unknown>;
  /** Calls a case, and does not wait for it. */
  call(n: number): Promise<unknown>;
  /** Waits until it stands still. @returns the line of its innermost frame */
  stands(): Promise<number>;
  names(): Promise<string[]>;
  evaluate(text: string): Promise<string>;
  goOn(): Promise<unknown>;
  /** Waits for what comes out of a case. */
  result(n: number): Promise<string>;
}

/** Stops in a case, looks, assigns, and goes on. @returns what was seen; a line for each that is not as it should be */
export async function tryCase(program: CaseProgram, n: number): Promise<string[]> {
  const wrong: string[] = [];
  const expect = (what: string, got: string, wanted: string): void => {
    if (got !== wanted) wrong.push(`${NAMES[n]!}: ${what}: ${got} and not ${wanted}`);
  };
  const line = program.lineOf(n);
  const point = await program.set(line);
  expect('the breakpoint', point.why ?? point.state, 'set');
  await program.call(n);
  expect('it stands on line', String(await program.stands()), String(line));
  expect('weight is a variable', String((await program.names()).includes('weight')), 'true');
  expect('weight', await program.evaluate('weight'), String(n));
  expect('assigned', await program.evaluate('weight = weight + 1000'), String(n + 1000));
  await program.clear(point.id);
  await program.goOn();
  expect('what comes out', await program.result(n), String(2 * (n + 1000)));
  return wrong;
}
