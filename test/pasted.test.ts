import { runPad } from 'usher-anvil';
import { type LineView, linesView } from '#dist/views/margin.js';
import { folder } from './harness.js';

/** Runs `entry` of a folder of files; gives what it printed, said beside its lines, and exported. */
async function run(files: Record<string, string>, entry: string) {
  const dir = folder(files);
  const record = await runPad({ file: `${dir}/${entry}`, cwd: dir, timeLimitMs: 20_000 });
  const views: LineView[] = [...linesView(record).values()];
  return {
    printed: record.console.map((line) => line.text),
    errors: record.errors.map((error) => error.message),
    remarks: views.flatMap((view) => view.items.filter((item) => item.kind === 'note').map((item) => item.text)),
  };
}

describe('code of both kinds in one pad', () => {
  const BOTH = [
    "import { sep } from 'node:path'",
    "const { basename } = require('node:path')",
    'const name = await Promise.resolve(basename(__filename))',
    "console.log(sep.length, name.split('.')[0], __dirname === import.meta.dirname)",
    "console.log(require('./lock.cjs').rise, require.resolve('./lock.cjs').endsWith('lock.cjs'))",
    "if (require.main === module) console.log('first')",
    'exports.name = name',
    'console.log(module.exports.name === name)',
  ].join('\n');
  const LOCK = { 'lock.cjs': 'exports.rise = 4' };
  const PRINTED = ['1 pad true', '4 true', 'first', 'true'];

  test.each([
    ['pad.ts', {}],
    ['pad.mts', {}],
    ['pad.js', {}],
    ['pad.mjs', {}],
    ['pad.jsx', {}],
    ['pad.js', { 'package.json': '{"type":"module"}' }],
    ['pad.js', { 'package.json': '{"type":"commonjs"}' }],
    ['pad.cjs', {}],
    ['pad.ts', { 'tsconfig.json': '{"compilerOptions":{"module":"commonjs"}}' }],
  ])('%s beside %j runs, and a remark says that it would not elsewhere', async (entry, beside) => {
    const found = await run({ ...LOCK, ...beside, [entry]: BOTH }, entry);
    expect(found.errors).toEqual([]);
    expect(found.printed).toEqual(PRINTED);
    expect(found.remarks[0]).toMatch(/^only in a pad: /);
    expect(found.remarks.length).toBe(/cjs|common/.test(entry + JSON.stringify(beside)) ? 2 : 1);
  });

  test('what asks with typeof first is told that a module has none', async () => {
    const text = "const kind = typeof require === 'function' ? 'script' : 'module'\nconsole.log(kind, typeof exports)";
    expect(await run({ 'pad.mjs': text }, 'pad.mjs')).toEqual({
      printed: ['module undefined'],
      errors: [],
      remarks: [],
    });
  });

  test('names that the pad binds itself are its own', async () => {
    const text =
      "import { createRequire } from 'node:module'\nconst require = createRequire(import.meta.url)\n" +
      "const __dirname = 'own'\nconst f = (module) => module.length\nconsole.log(require('node:os').EOL.length, __dirname, f('abc'))";
    expect(await run({ 'pad.mjs': text }, 'pad.mjs')).toEqual({ printed: ['1 own 3'], errors: [], remarks: [] });
  });

  test('modules that a pad imports stay what they are', async () => {
    const found = await run(
      {
        'pad.mjs': "import './other.mjs'",
        'other.mjs': "try { require('node:fs') } catch (error) { console.log(error.message.split(',')[0]) }",
      },
      'pad.mjs',
    );
    expect(found.printed[0]).toMatch(/^require is not defined/);
    expect(found.remarks).toEqual([]);
  });

  test('a script stays one, without a remark', async () => {
    const text =
      'const { sep } = require("path")\nmodule.exports = () => sep\nconsole.log(this === exports, arguments.length)';
    expect(await run({ 'pad.cjs': text }, 'pad.cjs')).toEqual({ printed: ['true 5'], errors: [], remarks: [] });
  });
});
