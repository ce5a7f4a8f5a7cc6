import { Bindings, type NamespaceShell } from '#dist/runtime/modules/bindings.js';

const made = (file: string, names: Record<string, unknown>): Bindings => {
  const bindings = new Bindings(file, undefined);
  bindings.register(Object.fromEntries(Object.entries(names).map(([name, value]) => [name, () => value])));
  return bindings;
};

test('names are read anew each time and cannot be assigned', () => {
  let level = 1;
  const bindings = new Bindings('a', undefined);
  bindings.register({ level: () => level });
  level = 2;
  expect(bindings.names.level).toBe(2);
  expect(() => (bindings.names.level = 3)).toThrow('Assignment to constant variable.');
});

test('two stars with one name cancel each other, and two ways to one binding do not', () => {
  const deep = made('deep', { shared: 1 });
  const left = made('left', { both: 1, left: 2, default: 0 });
  left.star(deep);
  const right = made('right', { both: 3, right: 4 });
  right.star(deep);
  const all = made('all', { own: 5 });
  all.star(left);
  all.star(right);
  expect(Object.keys(all.names).sort()).toEqual(['left', 'own', 'right', 'shared']);
});

test('modules that star each other agree after some rounds', () => {
  const a = made('a', { x: 1 });
  const b = made('b', { y: 2 });
  b.star(a);
  a.star(b);
  while ([a.settle(), b.settle()].some(Boolean));
  expect([Object.keys(a.names).sort(), Object.keys(b.names).sort()]).toEqual([
    ['x', 'y'],
    ['x', 'y'],
  ]);
});

test('a namespace object is made when it is asked for, and told of what changes', () => {
  let level = 1;
  const values: Record<string, unknown> = {};
  let shells = 0;
  const shell = (): NamespaceShell => {
    shells++;
    return { namespace: values, set: (name, value) => (values[name] = value) };
  };
  const bindings = new Bindings('a', shell);
  bindings.register({
    level: () => level,
    dead: () => {
      throw new ReferenceError('dead');
    },
  });
  bindings.sync();
  expect(shells).toBe(0);
  expect(bindings.namespace).toEqual({ level: 1 });
  level = 2;
  bindings.sync();
  expect([bindings.namespace, shells]).toEqual([{ level: 2 }, 1]);
});
