import { evaluate, EvaluationState, type Evaluated } from '#dist/runtime/modules/evaluation.js';

/** Modules by name, each with what it imports; a body that waits ends after some turns of the job queue, `!` throws. */
function graph(text: Record<string, { imports?: string[]; waits?: number; throws?: boolean; unknown?: boolean }>): {
  log: string[];
  of(name: string): Evaluated;
} {
  const log: string[] = [];
  const modules = new Map<string, Evaluated>();
  for (const [name, { waits, throws, unknown }] of Object.entries(text)) {
    const run = async (): Promise<void> => {
      for (let i = 0; i < waits!; i++) await undefined;
      log.push(`${name} ended`);
      if (throws) throw new Error(name);
    };
    modules.set(name, {
      state: new EvaluationState(),
      awaits: unknown ? undefined : waits !== undefined,
      requested: () => (text[name]!.imports ?? []).map((other) => modules.get(other)!),
      execute() {
        log.push(name);
        if (waits !== undefined) return run();
        if (throws) throw new Error(name);
        return undefined;
      },
    });
  }
  return { log, of: (name) => modules.get(name)! };
}

test('a graph that waits for nothing is over at once, each module once and after what it imports', () => {
  const { log, of } = graph({ a: { imports: ['b', 'c'] }, b: { imports: ['d'] }, c: { imports: ['d', 'a'] }, d: {} });
  expect(evaluate(of('a'))).toBeUndefined();
  expect(log).toEqual(['d', 'b', 'c', 'a']);
  expect(evaluate(of('c'))).toBeUndefined();
  expect(log).toHaveLength(4);
});

test('modules that wait do so beside each other, and what imports them comes when all are ready', async () => {
  const { log, of } = graph({
    main: { imports: ['slow', 'quick', 'plain'] },
    slow: { waits: 5 },
    quick: { waits: 1 },
    plain: {},
  });
  const done = evaluate(of('main'));
  expect(log).toEqual(['slow', 'quick', 'plain']);
  await done;
  expect(log).toEqual(['slow', 'quick', 'plain', 'quick ended', 'slow ended', 'main']);
});

test('those that become ready together run in the order in which they came to wait', async () => {
  const { log, of } = graph({
    main: { imports: ['x', 'y'] },
    x: { imports: ['dep'] },
    y: { imports: ['dep'] },
    dep: { waits: 2 },
  });
  await evaluate(of('main'));
  expect(log).toEqual(['dep', 'dep ended', 'x', 'y', 'main']);
});

test('an error reaches whoever imports, now and again later, and nobody else', async () => {
  const { log, of } = graph({
    main: { imports: ['bad', 'never'] },
    bad: { throws: true },
    never: {},
    other: { imports: ['slow'] },
    slow: { waits: 1, throws: true },
  });
  expect(() => evaluate(of('main'))).toThrow('bad');
  expect(() => evaluate(of('main'))).toThrow('bad');
  expect(() => evaluate(of('bad'))).toThrow('bad');
  expect(log).toEqual(['bad']);
  await expect(evaluate(of('other'))).rejects.toThrow('slow');
  expect(() => evaluate(of('slow'))).toThrow('slow');
});

test('a module of which only executing it tells whether it waits', async () => {
  const { log, of } = graph({ main: { imports: ['package'] }, package: { waits: 2, unknown: true } });
  await evaluate(of('main'));
  expect(log).toEqual(['package', 'package ended', 'main']);
});

test('a cycle with a module that waits ends as a whole', async () => {
  const { log, of } = graph({ a: { imports: ['b'] }, b: { imports: ['a', 'c'] }, c: { waits: 1 } });
  await evaluate(of('a'));
  expect(log).toEqual(['c', 'c ended', 'b', 'a']);
});
