/** A target whose modules the engine loads by itself, inside this process. */
import { types } from 'node:util';
import { jest } from '@jest/globals';
import { compile } from '#dist/instrument/compile.js';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { liveModule, type LiveModule } from '#dist/patch/live-module.js';
import { planChanges } from '#dist/patch/plan.js';
import { planObservation } from '#dist/patch/observe.js';
import { EmbeddedTarget } from '#dist/runtime/embedded.js';
import type { FromGuest } from '#dist/wire/guests.js';
import { brandBySlots } from '#dist/runtime/brands.js';
import { valueText } from '#dist/runtime/text.js';
import type { LiveAnswer } from '#dist/wire/messages.js';
import type { LiveChange } from '#dist/wire/modules.js';
import type { LookAnswer } from '#dist/wire/looking.js';
import { servedCode } from '#dist/session/module-code.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

const outline = (file: string, text: string) => outlineOf(parse(text, { file, packageType: 'commonjs' }));
const said: FromGuest[] = [];
const loaded: string[] = [];
const plain = console;
const embedded = new EmbeddedTarget({
  introspection: { isProxy: types.isProxy, brand: (value) => brandBySlots(value, types.isProxy) },
  now: () => performance.now(),
  later: (callback) => void setImmediate(callback),
  send: (message) => void said.push(message),
  isOwnFile: (file) => file.includes('/dist/') || file.includes('node:'),
  console: plain,
  every: (ms, callback) => {
    const timer = setInterval(callback, ms);
    timer.unref();
    return () => clearInterval(timer);
  },
  resume: () => ['tick'],
  load: (specifier, url, file) => {
    loaded.push(`${specifier} from ${url} for ${file}`);
    return specifier === 'nowhere' ? Promise.reject(new Error('it leads nowhere')) : Promise.resolve({ depth: 2.4 });
  },
});
embedded.install();

let asks = 0;
async function change(given: LiveChange): Promise<LiveAnswer> {
  const ask = ++asks;
  embedded.handle({ type: 'change', ask, change: given });
  for (;;) {
    const answer = said.find((one) => one.type === 'changed' && one.ask === ask);
    if (answer?.type === 'changed') return answer.answer;
    await new Promise((resolve) => setImmediate(resolve));
  }
}
function look(request: Parameters<EmbeddedTarget['target']['look']>[0]): LookAnswer {
  const ask = ++asks;
  embedded.handle({ type: 'look', ask, request });
  const answer = said.find((one) => one.type === 'looked' && one.ask === ask);
  if (answer?.type !== 'looked') throw new Error('no answer');
  return answer.answer;
}

/** What the engine puts before a script. */
const HEAD = '(function (exports) {';

/** A script that lives, and saves of it. */
function script(file: string, text: string, version = 0) {
  let module: LiveModule = liveModule(outline(file, text), 'linked');
  const compiled = compile(module.outline, {
    depth: 'off',
    form: 'script',
    patchable: true,
    version,
    translator: nodeTranslator,
  });
  const exported: Record<string, unknown> = {};
  (0, eval)(`${HEAD}${compiled.code}\n})\n//# sourceURL=${file}`)(exported);
  return {
    exported,
    know() {
      const code = servedCode(module.outline, compiled, file);
      embedded.handle({
        type: 'known',
        code: { ...code, code: HEAD + code.code, generated: code.generated.map((at) => at + HEAD.length) },
      });
    },
    async save(next: string): Promise<LiveAnswer> {
      const plan = planChanges(module, outline(file, next), nodeTranslator);
      const answer = await change({ do: 'patch', steps: plan.steps, links: [], modules: [] });
      if (!answer.failed) module = plan.next;
      return answer;
    },
    observe(depth: 'counts' | 'values', unit: number) {
      const plan = planObservation(
        module,
        new Map(module.outline.functions.map((_, index) => [index, depth])),
        unit,
        nodeTranslator,
      );
      module = plan.next;
      const column = (key: 'owner' | 'reach' | 'plus'): Int32Array => Int32Array.from(plan.sites, (site) => site[key]);
      return change({
        do: 'observe',
        observe: {
          units: [
            { unit, base: 0, owners: column('owner'), reach: column('reach'), plus: column('plus'), functions: 99 },
          ],
          steps: plan.steps,
          release: [],
          gone: [],
        },
      });
    },
  };
}

const CHAMBER = 'let level = 1;\nexports.fill = function fill(by) {\n  level += by;\n  return level;\n};\n';

test('a module that begins is told, with the version that its text was served as', () => {
  script('/canal/begin.cjs', CHAMBER, 7);
  expect(said).toContainEqual({ type: 'executed', file: '/canal/begin.cjs', version: 7, url: '/canal/begin.cjs' });
});

test('changes are applied for whoever holds a function, with its state, and taken back', async () => {
  const chamber = script('/canal/chamber.cjs', CHAMBER);
  const fill = chamber.exported.fill as (by: number) => number;
  expect(fill(1)).toBe(2);
  expect(await chamber.save(CHAMBER.replace('+= by', '+= by * 10'))).toMatchObject({ objects: 0, resumed: ['tick'] });
  expect(fill(1)).toBe(12);
  // A step that throws undoes the others.
  const failed = await chamber.save(
    CHAMBER.replace('+= by', '+= by * 100').replace('let level = 1;', 'const depth = missing();\nlet level = 1;'),
  );
  expect(failed.failed?.error.message).toBe('missing is not defined');
  expect(fill(1)).toBe(22);
  expect((await change({ do: 'undo' })).failed).toBeUndefined();
  expect(fill(1)).toBe(23);
  expect((await change({ do: 'undo' })).failed).toMatchObject({
    error: { message: 'there is no change to take back' },
  });
});

test('what is evaluated inside a module gives a value that opens, page by page', async () => {
  script(
    '/canal/fleet.cjs',
    'const fleet = [{ name: "Heron", get half() { throw new Error("a getter ran"); } }];\nexports.fleet = fleet;\n',
  );
  const { result } = await change({
    do: 'evaluate',
    file: '/canal/fleet.cjs',
    codes: [
      { code: 'fleet.length', awaits: false },
      { code: '(async () => fleet)()', awaits: true },
    ],
  });
  expect(valueText(result!.value)).toBe("[{ name: 'Heron', half: (getter) }]");
  const opened = look({ do: 'open', moment: result!.moment, part: 0 });
  if (opened.is !== 'opened') throw new Error(opened.is);
  const heron = opened.opened.first.find((member) => member.key === '0')!;
  const members = look({ do: 'members', node: heron.node, from: 0, count: 10, filter: 'half' });
  expect(members.is === 'members' && members.members[0]!.kind).toBe('accessor');
  expect(look({ do: 'open', moment: 1e9, part: 0 }).is).toBe('gone');
  const names = look({ do: 'names', file: '/canal/fleet.cjs', code: 'fleet', path: ['0'], prefix: 'na' });
  expect(names.is === 'names' && names.names.map((one) => one.name)).toEqual(['name']);
  const failed = await change({ do: 'evaluate', file: '/canal/fleet.cjs', codes: [{ code: 'null.x', awaits: false }] });
  expect(failed.failed!.error.message).toMatch(/Cannot read properties of null/);
});

test(
  'modules that a change imports are loaded by the engine, and ' + 'one that leads nowhere fails the change',
  async () => {
    const file = '/canal/import.cjs';
    script(file, CHAMBER);
    const link = (specifier: string) => ({
      file,
      name: `import ${specifier}`,
      link: { specifier, kind: 'package' as const, target: specifier, names: [] },
    });
    const step = (specifier: string) => ({
      kind: 'link' as const,
      file,
      name: `import ${specifier}`,
      specifier,
      attributes: {},
      names: [],
    });
    expect(
      (await change({ do: 'patch', steps: [step('soundings')], links: [link('soundings')], modules: [] })).failed,
    ).toBeUndefined();
    expect(loaded).toContain(`soundings from ${file} for ${file}`);
    const given = await change({
      do: 'evaluate',
      file,
      codes: [{ code: '$uam.late["import soundings"].depth', awaits: false }],
    });
    expect(valueText(given.result!.value)).toBe('2.4');
    expect(
      (await change({ do: 'patch', steps: [step('nowhere')], links: [link('nowhere')], modules: [] })).failed!.error
        .message,
    ).toBe('it leads nowhere');
  },
);

test('functions show their own text once it is known, and their newest after a change', async () => {
  const chamber = script('/canal/source.cjs', CHAMBER);
  const fill = chamber.exported.fill as (by: number) => number;
  chamber.know();
  expect(String(fill)).toBe('function fill(by) {\n  level += by;\n  return level;\n}');
  await chamber.save(CHAMBER.replace('+= by', '+= by * 10'));
  expect(String(fill)).toBe('function fill(by) {\n  level += by * 10;\n  return level;\n}');
  await change({ do: 'undo' });
  expect(String(fill)).toBe('function fill(by) {\n  level += by;\n  return level;\n}');
});

test(
  'an error stands at its line before and after the text is known, and ' +
    'a patched function stands once in its stack',
  async () => {
    const text =
      'exports.fill = function fill(by) {\n  if (by < 0) throw new RangeError("silted");\n  return by;\n};\n';
    const chamber = script('/canal/errors.cjs', text);
    const fill = chamber.exported.fill as (by: number) => number;
    const fail = (): { line: number; names: string[] } => {
      said.length = 0;
      try {
        fill(-1);
      } catch (error) {
        embedded.fail(error, 'uncaught');
      }
      const batch = said.find((one) => one.type === 'batch');
      const [error] = batch?.type === 'batch' ? batch.batch.errors! : [];
      const local = error!.frames.filter((frame) => frame.local);
      return { line: local[0]!.line, names: local.map((frame) => frame.name.replace(/^.*\./, '')) };
    };
    expect(fail().line).toBe(1);
    chamber.know();
    expect(fail()).toEqual({ line: 1, names: ['fill'] });
    await chamber.save(text.replace('exports.fill', '// Filled slowly.\nexports.fill').replace('silted', 'silted up'));
    const patched = fail();
    expect(patched.names.filter((name) => name === 'fill')).toHaveLength(1);
    expect(patched.line).toBe(2);
  },
);

test('observed, it reports counts, values and what is printed; nobody looks, and it is silent', async () => {
  const chamber = script(
    '/canal/observed.cjs',
    CHAMBER.replace('return level', 'console.log("level", { level });\n  return level'),
  );
  const fill = chamber.exported.fill as (by: number) => number;
  const log = jest.spyOn(plain, 'log').mockImplementation(() => undefined);
  await change({ do: 'report', on: true });
  await chamber.observe('values', 900);
  said.length = 0;
  for (let i = 0; i < 5; i++) fill(1);
  await change({ do: 'report', on: false });
  log.mockRestore();
  const batches = said.flatMap((one) => (one.type === 'batch' ? [one.batch] : []));
  expect(
    batches
      .flatMap((batch) => batch.counts ?? [])
      .find((one) => one.unit === 900)!
      .cells.some((cell) => cell === 5),
  ).toBe(true);
  expect(batches.reduce((sum, batch) => sum + (batch.samples?.site.length ?? 0), 0)).toBeGreaterThan(5);
  said.length = 0;
  fill(1);
  expect(said).toEqual([]);
});
