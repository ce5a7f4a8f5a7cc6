import { createSession, type PadRecord, type Session } from 'usher-anvil';
import { historiesAt } from 'usher-anvil/record';
import { join } from 'node:path';
import type { LookAnswer, LookRequest, Member } from '#dist/wire/looking.js';
import { valueText } from '#dist/runtime/text.js';
import { memberText, treeLines } from '#dist/views/tree.js';
import { folder } from '../../test/harness.js';

const made: Session[] = [];
afterEach(async () => {
  await Promise.all(made.splice(0).map((session) => session.close()));
});

async function run(text: string): Promise<{ session: Session; record: PadRecord }> {
  const session = createSession({ file: join(folder(), 'look.ts'), text, hangMs: 20_000 });
  made.push(session);
  session.execute();
  return { session, record: await session.settled() };
}

type Of<K extends LookAnswer['is']> = Extract<LookAnswer, { is: K }>;

/** Opens the last sample of a name. */
async function open(
  { session, record }: { session: Session; record: PadRecord },
  name: string,
): Promise<Of<'opened'>['opened']> {
  const lines = record.program.files[0]!.lines.lineCount;
  for (let line = 0; line < lines; line++) {
    const history = historiesAt(record, { line }).find((one) => one.name === name);
    if (!history) continue;
    const answer = await session.look({ do: 'open', moment: history.at(history.length - 1).moment, part: 0 });
    if (answer.is !== 'opened') throw new Error(JSON.stringify(answer));
    return answer.opened;
  }
  throw new Error(`nothing is called ${name}`);
}

async function members(session: Session, node: number, filter = '', from = 0): Promise<Of<'members'>> {
  const answer = await session.look({ do: 'members', node, from, count: 100, filter });
  if (answer.is !== 'members') throw new Error(JSON.stringify(answer));
  return answer;
}

const told = (list: Member[]): string[] =>
  list.filter((member) => member.kind !== 'prototype').map((member) => memberText(member));

describe('a value opens', () => {
  test.each<[string, string, string[]]>([
    ['an object', 'const it2 = { rise: 4.2, name: "Dun" };', ['rise: 4.2', "name: 'Dun'"]],
    ['a list', "const it2 = ['Alder', , 'Cress'];", ["0: 'Alder'", '1: empty × 1', "2: 'Cress'"]],
    ['a list with names of its own', 'const it2: any = [1]; it2.unit = "m"; it2;', ['0: 1', "unit: 'm'"]],
    [
      'a map, also with objects as keys',
      'const it2 = new Map<unknown, number>([["slate", 65], [{ k: 1 }, 2]]);',
      ["'slate' → 65", '{ k: 1 } → 2'],
    ],
    ['a set', 'const it2 = new Set([7, "x"]);', ['0 → 7', "1 → 'x'"]],
    ['a typed array', 'const it2 = Uint8Array.of(1, 255);', ['0: 1', '1: 255']],
    [
      'a class instance with private fields and an inherited getter',
      'class L { #deep = 3; rise = 1; #in = { a: 2n }; get half() { return 1 } }\nconst it2 = new L();',
      ['rise: 1', '#deep: 3', '#in: { a: 2n }', 'half: (getter)'],
    ],
    [
      'symbols and names that are not enumerable',
      'const it2 = Object.defineProperty({ [Symbol("s")]: 1 }, "h", { value: 2 });',
      ['h: 2', '[Symbol(s)]: 1'],
    ],
    ['a null prototype', 'const it2 = Object.assign(Object.create(null), { a: 1 });', ['a: 1']],
    [
      'a boxed string and a date',
      'const it2 = { b: new String("x"), d: new Date(0) };',
      ['b: String x', 'd: 1970-01-01T00:00:00.000Z'],
    ],
  ])('%s', async (_name, text, expected) => {
    const ran = await run(text);
    const opened = await open(ran, 'it2');
    expect(told((await members(ran.session, opened.node)).members)).toEqual(expected);
  });

  test('with what it is: constructor, size, prototype, and steps that lead to its members', async () => {
    const ran = await run(
      "class Barge { 'two words' = 1; constructor(readonly name: string) {} }\n" +
        "const boats = [new Barge('Heron')];\nboats;\n",
    );
    const opened = await open(ran, 'boats');
    expect(opened.facts).toEqual([
      { name: 'constructor', text: 'Array' },
      { name: 'items', text: '1' },
    ]);
    const [first] = (await members(ran.session, opened.node)).members;
    expect(first!.step).toBe('[0]');
    const inner = (await members(ran.session, first!.node)).members;
    expect(inner.map((member) => [member.kind, member.step])).toEqual([
      ['property', '.name'],
      ['property', '["two words"]'],
      ['prototype', undefined],
    ]);
    expect(inner[2]!.value.class).toBe('Barge');
  });

  test('a getter is run on request only, with the object itself as this; one that throws says so', async () => {
    const ran = await run(
      'let runs = 0;\nclass L { rise = 8; get half() { runs++; return this.rise / 2 } get bad() { throw new ' +
        'RangeError("no") } }\nconst lock = new L();\nsetTimeout(() => console.log(runs), 1);\n',
    );
    expect(ran.record.console.map((entry) => entry.text)).toEqual(['0']);
    const opened = await open(ran, 'lock');
    const list = (await members(ran.session, opened.node)).members;
    const get = async (key: string): Promise<Of<'got'>> =>
      (await ran.session.look({
        do: 'get',
        node: opened.node,
        getter: list.find((member) => member.key === key)!.getter!,
      })) as Of<'got'>;
    expect(valueText((await get('half')).value)).toBe('4');
    const bad = await get('bad');
    expect([bad.failed, valueText(bad.value)]).toEqual([true, 'RangeError: no']);
  });

  test('cycles lead back to the same node', async () => {
    const ran = await run('const ring: any = { a: 1 };\nring.self = ring;\nring;\n');
    const opened = await open(ran, 'ring');
    const self = (await members(ran.session, opened.node)).members.find((member) => member.key === 'self')!;
    expect(self.node).toBe(opened.node);
    expect(
      await treeLines(
        (request: LookRequest) => ran.session.look(request),
        historiesAt(ran.record, { line: 2 })[0]!.at(0).moment,
        0,
        { depth: 4, members: 10 },
      ),
    ).toEqual(['a: 1', 'self: (circular)']);
  });

  test('a million entries: pages from anywhere, and a filter that says how far it looked', async () => {
    const ran = await run(
      'const big = Array.from({ length: 1_000_000 }, (_, i) => i);\nconst map = new Map(big.map((i) => [i, i]));\n',
    );
    const opened = await open(ran, 'big');
    const end = await members(ran.session, opened.node, '', 999_950);
    expect([end.total, end.members[0]!.key, end.members[49]!.value.text]).toEqual([1_000_001, '999950', '999999']);
    const found = await members(ran.session, opened.node, '777');
    expect(found.members[0]!.key).toBe('777');
    expect(found.seen === undefined || found.seen < 1_000_001).toBe(true);
    const map = await open(ran, 'map');
    expect((await members(ran.session, map.node, '', 999_999)).members[0]!.key).toBe('999999');
  });

  test('a function: its signature, its own text, its place', async () => {
    const ran = await run(
      'function toll(barge: { tonnes: number }, rate = 0.5): number {\n  return barge.tonnes * rate;\n' +
        '}\nconst held = [toll];\nconsole.log(toll);\n',
    );
    const entry = ran.record.console[0]!;
    const answer = (await ran.session.look({ do: 'open', moment: entry.moment, part: 0 })) as Of<'opened'>;
    expect(answer.opened.facts.find((fact) => fact.name === 'signature')!.text).toBe(
      'function toll(barge: { tonnes: number }, rate = 0.5): number',
    );
    expect(answer.opened.text).toContain('return barge.tonnes * rate;');
    expect(answer.opened.place).toMatchObject({ line: 0, character: 0 });
  });

  test('a settled promise opens to its result, a rejected one to its reason', async () => {
    const ran = await run(
      "const good = Promise.resolve({ rise: 8 });\nconst bad = Promise.reject(new RangeError('low'));\n" +
        'bad.catch(() => 0);\nconst open = new Promise(() => 0);\n',
    );
    const inside = async (name: string): Promise<string[]> =>
      told((await members(ran.session, (await open(ran, name)).node)).members);
    expect([await inside('good'), await inside('bad'), await inside('open')]).toEqual([
      ['result: { rise: 8 }'],
      ['reason: RangeError: low'],
      [],
    ]);
    expect((await open(ran, 'open')).facts).toContainEqual({ name: 'state', text: 'pending' });
  });

  test('an error opens with its cause; a long string with all of its text; a proxy stays closed', async () => {
    const ran = await run(
      "const text = 'ab'.repeat(5000);\nconst trap = new Proxy({}, { ownKeys() { throw 1 } });\n" +
        "const e = new Error('gate', { cause: new TypeError('rope') });\nthrow e;\n",
    );
    expect((await open(ran, 'text')).text).toHaveLength(10_000);
    expect((await open(ran, 'trap')).facts[0]!.text).toContain('proxy');
    const thrown = (await ran.session.look({
      do: 'open',
      moment: ran.record.errors[0]!.moment,
      part: 0,
    })) as Of<'opened'>;
    expect(told((await members(ran.session, thrown.opened.node)).members)).toContain('cause: TypeError: rope');
  });

  test('as JSON: own data, no toJSON, no getters, cycles marked', async () => {
    const ran = await run(
      'const o: any = { n: 1, big: 2n, when: new Date(0), not: NaN, f() {}, u: undefined, get g() { throw 1 ' +
        '}, toJSON() { throw 2 }, m: new Map([["a", [1]]]), s: new Set([1]), "a b": ' +
        '"q\\"", list: [undefined, , 3] };\no.self = o;\no;\n',
    );
    const opened = await open(ran, 'o.self');
    const json = (await ran.session.look({ do: 'json', node: opened.node })) as Of<'json'>;
    expect(JSON.parse(json.text)).toEqual({
      n: 1,
      big: '2',
      when: '1970-01-01T00:00:00.000Z',
      not: null,
      m: [['a', [1]]],
      s: [1],
      'a b': 'q"',
      list: [null, null, 3],
      self: '(circular)',
    });
  });

  test('bytes and pixels are read as they are, and stay the program’s own', async () => {
    const ran = await run(
      'const pixels = { width: 2, height: 1, data: Uint8ClampedArray.of(1, 2, 3, 255, 4, 5, 6, 255) };\n' +
        'const short = pixels.data.length;\n',
    );
    const opened = await open(ran, 'pixels');
    const bytes = (await ran.session.look({ do: 'bytes', node: opened.node, limit: 100 })) as Of<'bytes'>;
    expect([[...bytes.bytes], bytes.width, bytes.height, bytes.size]).toEqual([[1, 2, 3, 255, 4, 5, 6, 255], 2, 1, 8]);
    expect(((await ran.session.look({ do: 'bytes', node: opened.node, limit: 3 })) as Of<'bytes'>).bytes).toHaveLength(
      3,
    );
  });
});

describe('what was then and what is now', () => {
  test('the sample keeps what it was; opening reads what is', async () => {
    const ran = await run('const boats = ["Heron"];\nboats.push("Otter");\n');
    const then = historiesAt(ran.record, { line: 0 })[0]!.at(0);
    expect(valueText(then.value)).toBe("['Heron']");
    const opened = await open(ran, 'boats');
    expect(valueText(opened.value)).toBe("['Heron', 'Otter']");
  });

  test('what is not held, and what has ended, is gone with a reason', async () => {
    const ran = await run('const n = 1;\n');
    expect(await ran.session.look({ do: 'open', moment: 999, part: 0 })).toMatchObject({ is: 'gone' });
    const ended = await run('const boats = [1];\nprocess.exit(3);\n');
    expect(await ended.session.look({ do: 'open', moment: 1, part: 0 })).toMatchObject({
      is: 'gone',
      why: expect.stringContaining('ended'),
    });
    await ran.session.close();
    expect(await ran.session.look({ do: 'open', moment: 1, part: 0 })).toMatchObject({ is: 'gone' });
  });

  test('a getter that never ends does not keep the window waiting', async () => {
    const ran = await run('const o = { get stuck() { for (;;); } };\n');
    const opened = await open(ran, 'o');
    const [stuck] = (await members(ran.session, opened.node)).members;
    expect(await ran.session.look({ do: 'get', node: opened.node, getter: stuck!.getter! })).toMatchObject({
      is: 'gone',
      why: expect.stringContaining('did not answer'),
    });
    ran.session.edit(ran.session.options.file, 'const next = 2;\n');
    expect((await ran.session.settled()).outcome).toBe('ok');
  });

  test('looking holds no more of a program than it can bear', async () => {
    const ran = await run(
      'let last = 0;\nfor (let i = 0; i < 60; i++) {\n  const block = new Float64Array(400_000).fill(i);\n' +
        '  last = block[5]!;\n}\nlast;\n',
    );
    expect([ran.record.outcome, historiesAt(ran.record, { line: 5 })[0]!.at(0).value.text]).toEqual(['ok', '59']);
  });
});
