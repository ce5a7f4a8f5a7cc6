import { marksOf } from '#dist/syntax/marks.js';
import { outlineOf } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';
import { addVerb, VERBS, verbOf } from '#dist/syntax/verbs/index.js';

/** What each mark of a text is about, as slices of it. */
const read = (text: string, file = 'canal.tsx') => {
  const { marks, problems } = marksOf(outlineOf(parse(text, { file })));
  return {
    about: marks.map((mark) => text.slice(mark.node.start, mark.node.end)),
    asks: marks.map((mark) => `${mark.verb ? `${mark.verb.name}:` : ''}${mark.expression}`),
    problems: problems.map((problem) => problem.message),
  };
};

describe('a mark is about the largest expression that ends before it', () => {
  test.each<[string, string, string]>([
    ['a name alone', 'total //~', 'total'],
    ['a declaration', 'const total = a + b; //~', 'a + b'],
    ['an assignment', 'total += 2 //~', 'total += 2'],
    ['a return', 'function f() { return a * 2 //~\n}', 'a * 2'],
    ['a chain, in its middle', 'boats.all() /*~ it.length */ .filter((b) => b)', 'boats.all()'],
    ['a chain, at its end', 'boats.all().filter((b) => b) //~', 'boats.all().filter((b) => b)'],
    ['a chain over lines', 'boats\n  .all() //~\n  .sort()', 'boats\n  .all()'],
    ['an argument', 'toll(barge /*~*/, 2)', 'barge'],
    ['the body of an arrow function', 'boats.map((b) => b.name /*~*/)', 'b.name'],
    ['a block arrow function', 'const f = () => { }; //~', '() => { }'],
    ['a condition', 'if (level > 3 /*~*/) { }', 'level > 3'],
    ['a condition, from the end of its line', 'if (level > 3) { //~\n}', 'level > 3'],
    ['a template', '`${boat.name /*~*/} passes`', 'boat.name'],
    ['a class field', 'class A { rise = 4.2; //~\n}', '4.2'],
    ['a parenthesised expression', 'f((a, b) /*~*/, c)', 'a, b'],
    ['markup', 'const p = <p>{level /*~*/}</p>', 'level'],
    ['what is awaited', 'async function f() { await load() //~\n}', 'await load()'],
    ['a list item', 'const list = [\n  first(), //~\n  2,\n]', 'first()'],
    ['a property', 'const o = { rise: a + b /*~*/ }', 'a + b'],
    ['a type assertion', 'const n = x as number; //~', 'x as number'],
    ['the callee of new', 'new Lock /*~*/ ()', 'Lock'],
    ['behind another comment', 'total /* pence */ //~', 'total'],
  ])('%s', (_name, text, about) => {
    const found = read(text);
    expect(found.problems).toEqual([]);
    expect(found.about).toEqual([about]);
  });

  test('two marks of one line, each at its place', () => {
    const found = read('a.b() /*~ it.length */ .c() //~ time:');
    expect(found.about).toEqual(['a.b()', 'a.b() /*~ it.length */ .c()']);
    expect(found.asks).toEqual(['it.length', 'time:']);
  });
});

describe('what cannot be asked is a problem of its line', () => {
  test.each<[string, string, RegExp]>([
    [
      'a verb that does not exist',
      'x //~ plit: it',
      /There is no mark "plit:"\. There are time:, plot:, table:, keep:, when:/,
    ],
    ['an expression that does not parse', 'x //~ it +', /does not parse/],
    ['a verb without what it needs', 'x //~ when:', /needs an expression/],
    ['a verb with what it does not take', 'x //~ time: it', /takes no expression/],
    ['an assignment', 'x //~ it.level = 3', /only looks/],
    ['an increment inside a function', 'x //~ it.map((b) => b.n++)', /only looks/],
    ['a deletion', 'x //~ delete it.a', /cannot delete/],
    ['waiting', 'x //~ await it', /parse|wait/],
    ['an async function', 'x //~ (async () => 1)()', /cannot wait/],
    ['private names', 'x //~ new.target', /parse|cannot stand/],
    ['no expression on the line', '//~', /no expression/],
    ['no expression before it', '/*~ it */ x', /no expression/],
    ['between a method and its call', 'a.b /*~*/ (1)', /between a method and its call/],
    ['between a tag and its template', 't /*~*/ `x`', /between a tag/],
    ['between a chain that delete is about and its rest', 'delete a?.b /*~*/ .c', /delete/],
  ])('%s', (_name, text, message) => {
    const found = read(text, 'canal.js');
    expect(found.about).toEqual([]);
    expect(found.problems).toHaveLength(1);
    expect(found.problems[0]).toMatch(message);
  });

  test('ordinary comments are no marks, also those with a tilde later', () => {
    expect(read('x // ~ about three\ny /* ~ */')).toEqual({ about: [], asks: [], problems: [] });
  });

  test('a comment inside a mark does not swallow what follows', () => {
    expect(read('x //~ it.length // in metres').asks).toEqual(['it.length']);
  });
});

describe('names in a mark', () => {
  const names = (text: string) =>
    marksOf(outlineOf(parse(text, { file: 'a.ts' }))).marks[0]!.names.map((one) => one.name);

  test('are those that are free in it, and not bound around it', () => {
    expect(names('x //~ it.map((b) => b.n + rate).concat({ rate, b: 1 })')).toEqual(['rate', 'rate']);
    expect(names('function f(rate) { x //~ it + rate\n}')).toEqual([]);
    expect(names('function f() { { const rate = 1; x } x //~ it + rate\n}')).toEqual(['rate']);
    expect(names('function f() { if (1) { var rate = 1 } x //~ it + rate\n}')).toEqual([]);
    expect(names('try {} catch (rate) { x //~ it + rate\n}')).toEqual([]);
    expect(names('for (const rate of [1]) { x //~ it + rate\n}')).toEqual([]);
  });
});

describe('verbs', () => {
  test('each says what it is about', () => {
    for (const verb of VERBS) expect(verb.about.length).toBeGreaterThan(10);
  });

  test('one of your own is there at once; a taken or odd name is refused', () => {
    addVerb({
      name: 'pace',
      expression: 'none',
      reports: 'time',
      about: 'visits in a second',
      tell: (numbers) => `${numbers.length} visits`,
    });
    expect(verbOf('pace')!.tell!([1, 2], { visits: 2, runMs: 1 })).toBe('2 visits');
    expect(read('x //~ pace:').asks).toEqual(['pace:']);
    expect(() => addVerb(VERBS[0]!)).toThrow(RangeError);
    expect(() => addVerb({ ...VERBS[0]!, name: 'Two words' })).toThrow(/one lower-case word/);
  });

  test('time: tells total, median and share', () => {
    const tell = verbOf('time')!.tell!;
    expect(tell([1, 2, 9], { visits: 3, total: 12, runMs: 48 })).toBe('total 12.0 ms, median 2.0 ms, 25 % of the run');
    expect(tell([150], { visits: 1, total: 150, runMs: 300 })).toBe('150 ms, 50 % of the run');
    expect(tell([], { visits: 0, runMs: 0 })).toBe('0.000 ms');
  });
});
