import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { instrument } from 'usher-anvil/instrument';
import { both, execute, withProbes } from '../../test/harness.js';
import { programs } from '../../test/programs.js';

describe('instrumented code behaves as plain code', () => {
  for (const [name, text] of Object.entries(programs)) {
    test.each(['off', 'counts', 'values'] as const)(`${name}, at depth %s`, async (depth) => {
      const { plain, instrumented } = await both(text, depth);
      expect(plain.lines.length + plain.error.length).toBeGreaterThan(0);
      expect(instrumented).toEqual(plain);
    });

    test(`${name}, with patch points`, async () => {
      const { plain, instrumented } = await both(text, 'off', 'canal.cjs', true);
      expect(instrumented).toEqual(plain);
    });
  }
});

describe('sites', () => {
  const text = `function toll(barge, night = false) {
  let sum = 0;
  for (const { tonnes } of barge.cargo) sum += tonnes * 0.5;
  if (sum > 10) return sum;
  return night ? sum * 2 : sum;
}
const first = toll({ cargo: [{ tonnes: 30 }] });
first;
try { toll() } catch (error) { error.message }
`;

  test('every range is a slice of the original text', () => {
    const { sites } = instrument(text, { file: 'tolls.js', depth: 'values' });
    expect(sites.length).toBeGreaterThan(15);
    for (const site of sites) {
      expect(site.start).toBeGreaterThanOrEqual(0);
      expect(site.end).toBeGreaterThanOrEqual(site.start);
      expect(site.end).toBeLessThanOrEqual(text.length);
    }
    const named = (kind: string) =>
      sites.filter((site) => site.kind === kind).map((site) => text.slice(site.start, site.end));
    expect(named('declaration')).toEqual(['sum', 'first']);
    expect(named('item')).toEqual(['tonnes']);
    expect(named('return')).toEqual(['sum', 'night ? sum * 2 : sum']);
    expect(named('default')).toEqual(['false']);
    expect(named('caught')).toEqual(['error']);
    expect(named('assignment')).toEqual(['sum += tonnes * 0.5']);
    expect(named('expression')).toContain('first');
  });

  test('an assertion that never ran is not counted, wherever its counter stands', async () => {
    const asserts =
      'const assert = () => {};\nlet n = 0;\nif (n)\n  assert(n);\nif (n) {\n  assert(n);\n}\nn++;\nassert(n);\n';
    const result = instrument(asserts, { file: 'asserts.cjs', depth: 'values', form: 'script' });
    const probes = withProbes(result);
    await execute(result.code);
    probes.remove();
    const counts = result.sites
      .filter((site) => site.kind === 'statement' && asserts.startsWith('assert(', site.start))
      .map((site) => probes.cells[site.cell]);
    expect(counts).toEqual([0, 0, 1]);
  });

  test('counts are exact, samples carry the values in order', async () => {
    const result = instrument(text, { file: 'tolls.cjs', depth: 'values', form: 'script' });
    const probes = withProbes(result);
    await execute(result.code);
    probes.flush();
    probes.remove();
    const values = (name: string, kind: string) => {
      const ids = new Set(
        result.sites.filter((site) => site.name === name && site.kind === kind).map((site) => site.id),
      );
      const found: number[] = [];
      for (const { samples } of probes.batches)
        if (samples) samples.site.forEach((site, row) => ids.has(site) && found.push(samples.number[row]!));
      return found;
    };
    expect(values('sum', 'declaration')).toEqual([0, 0]);
    expect(values('sum', 'assignment')).toEqual([15]);
    const call = result.sites.find((site) => site.kind === 'function')!;
    expect(probes.cells[call.cell]).toBe(2);
    const never = result.sites.find((site) => site.kind === 'branch' && site.name === 'then part')!;
    expect(probes.cells[never.cell]).toBe(0);
  });

  test('ten thousand visits: counts exact, first and last sampled, the rest bounded', async () => {
    const loop = 'let total = 0; for (let i = 0; i < 10000; i++) { const half = i / 2; total += half }';
    const result = instrument(`(function () { ${loop} })()`, { file: 'loop.cjs', depth: 'values', form: 'script' });
    const probes = withProbes(result);
    await execute(result.code);
    probes.flush();
    probes.remove();
    const half = result.sites.find((site) => site.name === 'half')!;
    const visits: number[] = [];
    const values: number[] = [];
    for (const { samples } of probes.batches)
      samples?.site.forEach((site, row) => {
        if (site !== half.id) return;
        visits.push(samples.visit[row]!);
        values.push(samples.number[row]!);
      });
    expect(probes.cells[half.reach]).toBe(10000);
    expect(visits.slice(0, 3)).toEqual([1, 2, 3]);
    expect(visits.at(-1)).toBe(10000);
    expect(values.at(-1)).toBe(9999 / 2);
    expect(visits.length).toBeLessThan(600);
    // A visit's number and its value belong together.
    visits.forEach((visit, index) => expect(values[index]).toBe((visit - 1) / 2));
  });
});

describe('the map', () => {
  test('leads from every name in the code back to the same name in the text', () => {
    const text =
      'const alder = 4.2;\nfunction climb(metres: number): number {\n  return metres / alder;\n}\nclimb(31);\n';
    const { code, map } = instrument(text, { file: 'climb.ts', depth: 'values' });
    const trace = new TraceMap(JSON.stringify(map));
    const lines = code.split('\n');
    const originals = text.split('\n');
    let found = 0;
    lines.forEach((line, index) => {
      for (const match of line.matchAll(/\b(alder|metres|climb)\b(?!\.ts)/g)) {
        const back = originalPositionFor(trace, { line: index + 1, column: match.index });
        expect(originals[back.line! - 1]!.slice(back.column!)).toMatch(new RegExp(`^${match[1]}`));
        found++;
      }
    });
    expect(found).toBeGreaterThanOrEqual(6);
  });

  test('lines do not move where types are only erased', () => {
    const text =
      'interface Lock {\n  rise: number;\n}\nconst lock: Lock = { rise: 4.2 };\nexport default lock as Lock;\n';
    const { code } = instrument(text, { file: 'lock.ts', depth: 'values' });
    expect(code.split('\n').findIndex((line) => line.includes('rise: 4.2'))).toBe(3);
    expect(code).not.toMatch(/interface|as Lock/);
  });
});

describe('languages', () => {
  test('TypeScript that erasing does not reach: enums, namespaces, parameter properties, decorators', async () => {
    const text = `enum Side { Up, Down = 4 }
namespace Canal { export const rise = 31; export function half() { return rise / 2 } }
function seen(value: unknown, _context: unknown): void { out('decorated', typeof value) }
@seen class Lock { constructor(readonly name: string, private level = 2) {} up(): number { return ++this.level } }
out(Side.Down, Side[0], Canal.half(), new Lock('Alder').up(), new Lock('Birch').name);`;
    const result = instrument(text, { file: 'all.ts', depth: 'values', form: 'script' });
    expect(result.problems).toEqual([]);
    const { lines, error } = await execute(result.code);
    expect(error).toBe('');
    expect(lines).toEqual(['decorated function', '4 Up 15.5 3 Birch']);
  });

  test('JSX becomes calls of React.createElement, with probes inside it', async () => {
    const text = `const React = { createElement: (type: unknown, props: unknown, ...children: unknown[]) => ({ type, props, children }), Fragment: 'fragment' };
const Boat = () => <b>{1 + 1}</b>;
out(<Boat name="Heron" {...{ length: 4 }}>{['a'].map((x) => <i>{x}</i>)}</Boat>, <></>);`;
    const result = instrument(text, { file: 'boat.tsx', depth: 'values', form: 'script' });
    const { lines, error } = await execute(result.code);
    expect(error).toBe('');
    expect(JSON.parse(lines[0]!.slice(0, lines[0]!.lastIndexOf(' {')))).toEqual({
      type: 'function Boat',
      props: { name: 'Heron', length: 4 },
      children: [[{ type: 'i', props: null, children: ['a'] }]],
    });
  });

  test('what is imported and used as an element begins and ends by the same place', () => {
    const text =
      "import { Lock, sides } from './lock';\nexport const view = () => <Lock><sides.Left>{1}</sides.Left></Lock>;";
    const { code, problems } = instrument(text, { file: 'view.tsx', depth: 'values' });
    expect(problems).toEqual([]);
    expect(code).not.toMatch(/<\/?(?:Lock|sides)/);
  });

  test('an unknown depth or form is refused with its code', () => {
    expect(() => instrument('1', { file: 'a.js', depth: 'loud' as never })).toThrow(
      expect.objectContaining({ code: 'E_OPTION' }),
    );
    expect(() => instrument('1', { file: 'a.js', form: 'amd' as never })).toThrow(
      expect.objectContaining({ code: 'E_OPTION' }),
    );
  });

  test('a text with errors comes back as it was, with all problems', () => {
    const result = instrument('const a = ;', { file: 'a.ts' });
    expect(result.code).toBe('const a = ;');
    expect(result.problems[0]).toMatchObject({ code: 'E_SYNTAX', start: 10 });
  });
});
