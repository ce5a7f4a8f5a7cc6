import vm from 'node:vm';
import { nodeLanguage } from '#dist/hosts/node/language.js';
import { liveModule } from '#dist/patch/live-module.js';
import { planObservation } from '#dist/patch/observe.js';
import { withStops, type Stop } from '#dist/patch/stops.js';
import { outlineOf, type Outline } from '#dist/syntax/outline.js';
import { parse } from '#dist/syntax/parse.js';

const outline = (text: string): Outline => outlineOf(parse(text, { file: '/canal/tolls.js', packageType: 'module' }));
const stop = (text: string, at: string, more: Partial<Stop> = {}): Stop => ({
  ...{ id: 1, at: text.indexOf(at), where: 'statement' },
  ...more,
});
/** Versions of all functions of a text, by name. */
function versions(text: string, stops: readonly Stop[], stepping = false): Map<string, string> {
  const made = outline(text);
  const all = made.functions.map((_, index) => index);
  const plan = planObservation(
    liveModule(made, 'module'),
    new Map(all.map((index) => [index, 'counts'])),
    7,
    nodeLanguage.translator,
    undefined,
    stops,
    stepping ? { stepping: new Set(all), entering: new Set() } : undefined,
  );
  const found = plan.steps.flatMap((step) => (step.kind === 'function' ? [[step.name, step.code] as const] : []));
  for (const [, code] of found) new vm.Script(code);
  return new Map(found);
}

test('a breakpoint stands at its statement, in the version of the innermost function that has one', () => {
  const text = 'export function fill(by) {\n  const next = by + 1\n  return next\n}\n';
  expect(versions(text, [stop(text, 'return next')]).get('fill')).toMatch(/I\(1\);[^\n]*return next/);
});

test('a small function stays the same one, whatever is put into it', () => {
  const text = 'export function all(boats) {\n  const dues = boats.map(() => 4)\n  return dues\n}\n';
  const condition = 'boats.length > 100 && boats.every((boat) => boat.name.length > 20 && boat.tonnes > 1000)';
  const made = versions(text, [stop(text, '4)', { condition })]);
  expect([...made.values()].some((code) => code.includes('boats.length > 100'))).toBe(true);
});

test('several breakpoints at the expression of an arrow function, and at the only statement of a branch', () => {
  const text =
    'export const due = (by) => by * 2\nexport function fill(by) {\n  if (by) due(by)\n  return () => by\n}\n';
  const at = (where: string): Stop[] => [
    stop(text, where),
    stop(text, where, { id: 2, condition: 'by > 1' }),
    stop(text, where, { id: 3, message: ['by is ', { expression: 'by' }] }),
  ];
  const made = versions(text, [...at('by * 2'), ...at('due(by)'), ...at('by\n}')]);
  expect(made.get('due')).toMatch(/I\(1\).*by > 1.*I\(2\).*D\(3,.*return\(by \* 2/);
});

test('what ends at one place ends from the inside out', () => {
  const text = 'export function fill(by) {\n  let next\n  if (by) next = () => by\n  return next\n}\n';
  const made = withStops(outline(text), [stop(text, 'next = () =>'), stop(text, 'by\n  return', { id: 2 })])!;
  expect(made.outline.parsed.text).toContain('if (by) {debugger;next = () => {debugger;return(by);}}\n');
  expect(made.plainOffset(made.outline.parsed.text.indexOf('return next'))).toBe(text.indexOf('return next'));
});

test('where a target has no debugger, every statement asks, and hands over the names that it sees', () => {
  const text = 'export function fill(by) {\n  for (const one of by) {\n    one.open()\n  }\n  return by\n}\n';
  const code = versions(text, [stop(text, 'one.open')], true).get('fill')!;
  expect(
    code.match(/\$uao\[0\]&&\$uaQ\(700000,\(\$uax\)=>eval\(\$uax\),"[^"]*"\)/g)!.map((one) => /"(.*)"/.exec(one)![1]),
  ).toEqual(['by,$uaK', 'one,by,$uaK', 'by,$uaK']);
  expect(code).toMatch(/\$uaI\(1,\(\$uax\)=>eval\(\$uax\),"one,by,\$uaK"\)/);
});
