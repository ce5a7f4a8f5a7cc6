import { readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import vm from 'node:vm';
import { instrument } from 'usher-anvil/instrument';
import { inTurn, WHOLE } from './harness.js';

const folder = dirname(createRequire(import.meta.url).resolve('test262-parser-tests/package.json'));
const names = inTurn(readdirSync(join(folder, 'pass')), 8);

/** What a script does in a realm of its own, which has no probes: what it throws, and what it leaves behind. */
function outcome(code: string, limitMs = 150): string {
  const context = vm.createContext({});
  let end: string;
  try {
    vm.runInContext(code, context, { filename: 'fixture.js', timeout: limitMs });
    end = 'ended';
  } catch (error) {
    const { name, message, code: why } = error as { name?: string; message?: string; code?: string };
    if (why === 'ERR_SCRIPT_EXECUTION_TIMEOUT') return 'goes on';
    end = `${name}: ${String(message)}`;
  }
  const left = vm.runInContext(
    'Object.getOwnPropertyNames(globalThis).map((n) => n + typeof globalThis[n]).join()',
    context,
  ) as string;
  return `${end} ${left.replace(/,?\$ua\w+/g, '')}`;
}

/** Parts of the engine's messages that print code. */
const told = (text: string): string =>
  text
    .replace(/^(\w+: ).* (is not (?:a function|a constructor|iterable))/, '$1… $2')
    .replace(/\(intermediate value\)/g, '…');

test.each([
  ['off', true],
  ['counts', false],
  ['values', false],
  ['values', true],
] as const)(
  'the parser fixtures of the language end as they do plain, at depth %s (patchable: %s)',
  (depth, patchable) => {
    const wrong: string[] = [];
    let ran = 0;
    for (const name of names) {
      const text = readFileSync(join(folder, 'pass', name), 'utf8');
      const module = name.endsWith('.module.js');
      const result = instrument(text, {
        file: module ? 'fixture.mjs' : 'fixture.cjs',
        depth,
        patchable,
        form: module ? 'module' : 'script',
      });
      if (result.problems.length > 0) {
        wrong.push(`${name}: ${result.problems[0]!.message}: ${text}`);
        continue;
      }
      if (module) {
        try {
          // Only parsed: what they import is not there.
          new vm.SourceTextModule(result.code, { context: vm.createContext({}) });
          ran++;
        } catch (error) {
          wrong.push(`${name}: ${String(error)}: ${text} → ${result.code}`);
        }
        continue;
      }
      const plain = outcome(text);
      if (plain === 'goes on') continue;
      ran++;
      // One that ended plain gets more time: the machine may be busy.
      const ours = outcome(result.code, 5_000);
      if (told(ours) !== told(plain))
        wrong.push(`${name}: ${ours.slice(0, 120)} and not ${plain.slice(0, 120)}: ${text.slice(0, 200)}`);
    }
    expect(wrong).toEqual([]);
    expect(ran).toBeGreaterThan(WHOLE ? 1_500 : 180);
  },
);
