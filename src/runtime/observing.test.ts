/**
 * What stands between a change and those who look: slots with two versions, held values, stacks of code that was
 * printed anew.
 */
import { RetainedValues } from '#dist/runtime/retained-values.js';
import { patchName } from '#dist/runtime/code-places.js';
import { Stage } from '../../test/stage.js';

const FILES = {
  'main.js': `let level = 0;
export function fill(by) { level += by; return level; }
export const make = () => { let n = 0; return () => ++n; };
export class Gate { turned = 0; turn() { return ++this.turned; } static all = []; static open() { return Gate.all.length; } }
`,
};

async function stage(): Promise<Stage> {
  const made = new Stage(FILES, '/canal/main.js');
  await made.start();
  return made;
}

describe('a version that reports stands over the one the program has', () => {
  test('identity, state and results stay; an undo of a change takes the change back, not the observing', async () => {
    const program = await stage();
    program.held = program.evaluate('[m.fill, m.make(), new m.Gate()]');
    program.observe('values');
    expect(
      program.evaluate('[m.fill === held[0], m.fill(2), held[1](), held[1](), held[2].turn(), m.Gate.open()]'),
    ).toEqual([true, 2, 1, 2, 1, 0]);
    await program.save({ 'main.js': FILES['main.js'].replace('level += by', 'level += by * 10') });
    expect(program.evaluate('m.fill(1)')).toBe(12);
    expect(program.undo()).toBe(true);
    expect(program.evaluate('m.fill(1)')).toBe(13);
    expect(program.undo()).toBe(false);
  });

  test('a change that fails leaves what was there before', async () => {
    const program = await stage();
    program.observe('counts');
    const said = await program.save({
      'main.js': FILES['main.js']
        .replace('let level = 0;', 'let level = 0;\nconst sill = missing.depth;')
        .replace('+= by', '-= by'),
    });
    expect(said).toMatch(/^failed: missing is not defined/);
    expect(program.evaluate('m.fill(5)')).toBe(5);
  });

  test('observing again and again leaves one version, and a change in between counts', async () => {
    const program = await stage();
    for (let i = 0; i < 30; i++) program.observe(i % 2 === 0 ? 'counts' : 'values');
    expect(program.evaluate('m.fill(1)')).toBe(1);
    await program.save({ 'main.js': FILES['main.js'].replace('level += by', 'level -= by') });
    program.observe('counts');
    expect(program.evaluate('m.fill(3)')).toBe(-2);
    expect(program.unobserved).toEqual([]);
  });
});

describe('values that are held for opening', () => {
  test('of a program that runs on, the newest: the older half goes when they become too many', () => {
    const holder = new RetainedValues();
    holder.most = 40_000;
    for (let i = 1; i <= 1_000; i++) holder.hold(i, 0, { i });
    expect(holder.at(1, 0)).toBeUndefined();
    expect(holder.at(1_000, 0)).toEqual({ value: { i: 1_000 } });
    const kept = [...Array(1_000).keys()].filter((i) => holder.at(i + 1, 0) !== undefined);
    expect(kept.length).toBeGreaterThan(50);
    expect(kept.length).toBeLessThan(140);
    expect(kept).toEqual([...Array(kept.length).keys()].map((i) => 1_000 - kept.length + i));
  });

  test('what was held for those who look goes when nobody does; results stay', () => {
    const holder = new RetainedValues();
    for (let i = 1; i <= 9; i++) holder.hold(i, 0, { i }, i % 3 !== 0);
    holder.letPass();
    expect([...Array(9).keys()].map((i) => holder.at(i + 1, 0)?.value)).toEqual(
      [1, 2, 3, 4, 5, 6, 7, 8, 9].map((i) => (i % 3 === 0 ? { i } : undefined)),
    );
  });

  test('of a pad, the first: later ones weakly', () => {
    const holder = new RetainedValues();
    const barge = { name: 'Heron' };
    holder.hold(1, 0, barge);
    for (let i = 2; i < 500; i++) holder.hold(i, 0, { i });
    expect(holder.at(1, 0)).toEqual({ value: barge });
    expect(holder.at(1, 1)).toBeUndefined();
    expect(holder.at(700, 0)).toBeUndefined();
  });
});

describe('the name of code that came later', () => {
  test('tells its file, whether it reports, and the lines of the text behind its own', () => {
    expect(patchName('/canal/chamber.ts')).toBeUndefined();
    expect(patchName('/canal/chamber.ts#other')).toBeUndefined();
    const plain = patchName('/canal/chamber.ts#patch')!;
    expect([plain.file, plain.observed, plain.lineOf(7)]).toEqual(['/canal/chamber.ts', undefined, 7]);
    const printed = patchName('/canal/chamber.ts#observe1a~4.1.0.-2.z')!;
    expect([printed.file, printed.name, printed.observed]).toEqual([
      '/canal/chamber.ts',
      '/canal/chamber.ts#observe',
      46,
    ]);
    expect([0, 1, 2, 3, 4, 9].map((line) => printed.lineOf(line))).toEqual([4, 5, 5, 3, 38, 38]);
  });

  test('errors in code that a translator printed anew stand at their line', async () => {
    const text = `enum Side { Upper, Lower }

export class Gate {
  constructor(private readonly side: Side) {}

  turn(by: number): number {

    if (by > 3) {
      throw new Error('stuck at ' + Side[this.side]);
    }
    return by;
  }
}
export const gate = new Gate(Side.Lower);
`;
    const program = new Stage({ 'main.ts': text }, '/canal/main.ts');
    await program.start();
    const lineOf = (): number => {
      try {
        program.evaluate('m.gate.turn(9)');
      } catch (error) {
        return Number(/main\.ts[^\n]*?:(\d+):\d+/.exec((error as Error).stack ?? '')?.[1]);
      }
      return -1;
    };
    await program.save({ 'main.ts': text.replace('by > 3', 'by > 4') });
    const changed = lineOf();
    program.observe('values');
    // The engine of the test formats its own stacks: the lines of the code are those behind its name.
    expect(changed).toBeGreaterThan(0);
    expect(() => program.evaluate('m.gate.turn(9)')).toThrow('stuck at Lower');
    expect(program.evaluate('m.gate.turn(2)')).toBe(2);
  });
});
