/** Which functions that paint may be called on other threads, and what comes along. */
import { outlineOfText } from '#dist/syntax/outlined.js';
import { portablePaints } from '#dist/syntax/portable.js';

const found = (text: string, file = 'basin.ts') =>
  portablePaints(outlineOfText(`import { paint } from 'usher-anvil/pad'\n${text}`, file)!);

describe('what comes along', () => {
  test.each([
    ['a function of its place', 'paint(2, 2, (x, y) => x + y)', ''],
    [
      'constants and functions',
      'const deep = 4\nfunction depth(x: number) { return x * deep }\npaint(2, 2, depth)',
      'const deep = 4\nfunction depth(x: number) { return x * deep }',
    ],
    ['what is exported', 'export const deep = 4 * 2\npaint(2, 2, (x) => x * deep)', 'const deep = 4 * 2'],
    ['lists that nothing changes', 'const marks = [1, 2]\npaint(2, 2, (x) => marks[x % 2])', 'const marks = [1, 2]'],
    [
      'passes',
      'const first = (x) => x\npaint(2, 2, [first, (x, y, { before }) => before(x, y)], { inputs: {} },)',
      'const first = (x) => x',
    ],
    [
      'mathematics, and names of its own',
      'paint(2, 2, (x) => { let sum = 0; for (const one of [1, x]) sum += Math.sin(one); return sum })',
      '',
    ],
    [
      'a function that calls itself',
      'function half(x) { return x < 1 ? x : half(x / 2) }\npaint(2, 2, half)',
      'function half(x) { return x < 1 ? x : half(x / 2) }',
    ],
  ])('%s', (_name, text, needs) => {
    const [one, ...others] = found(text);
    expect(others).toEqual([]);
    expect(one!.needs).toBe(needs);
  });

  test.each([
    ['what changes', 'let level = 1\npaint(2, 2, (x) => x + level)'],
    ['a function that is replaced', 'function depth(x) { return x }\ndepth = (x) => 2 * x\npaint(2, 2, depth)'],
    ['a list that something changes', 'const marks = [1]\nmarks.push(2)\npaint(2, 2, (x) => marks[x])'],
    [
      'a member that something changes',
      'const canal = { deep: 1 }\ncanal.deep = 3\npaint(2, 2, (x) => x * canal.deep)',
    ],
    ['what a function keeps', 'const seen = new Map()\npaint(2, 2, (x) => seen.get(x) ?? 1)'],
    [
      'what is computed by others',
      'const deep = measure()\nfunction measure() { return 4 }\npaint(2, 2, (x) => x * deep)',
    ],
    ['chance', 'paint(2, 2, () => Math.random())'],
    ['time', 'paint(2, 2, () => Date.now() % 255)'],
    ['what is printed', 'paint(2, 2, (x) => { console.log(x); return x })'],
    ['imports', "import { deep } from './canal'\npaint(2, 2, (x) => x * deep)"],
    ['names of a function around it', 'function picture(scale) { paint(2, 2, (x) => x * scale) }\npicture(2)'],
    ['a dial', "import { dial } from 'usher-anvil/pad'\nconst deep = dial('deep', 2)\npaint(2, 2, (x) => x * deep)"],
    ['what waits', 'paint(2, 2, async (x) => x)'],
    ['arguments in a list', 'const all = [2, 2, (x) => x]\npaint(...all)'],
    ['what writes to names around', 'const sums = { of: 0 }\npaint(2, 2, (x) => (sums.of += x))'],
    ['this', 'paint(2, 2, function (x) { return this ? 1 : x })'],
  ])('not %s', (_name, text) => {
    expect(found(text)).toEqual([]);
  });
});

test('other functions by that name are nobody else’s', () => {
  expect(portablePaints(outlineOfText('function paint() {}\npaint(1, 2, (x) => x)', 'a.js')!)).toEqual([]);
  expect(
    portablePaints(outlineOfText("import { paint as chart } from 'usher-anvil/pad'\nchart(1, 2, (x) => x)", 'a.js')!),
  ).toHaveLength(1);
});
