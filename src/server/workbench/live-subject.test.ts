import { join } from 'node:path';
import { createLive } from '#dist/hosts/node/live.js';
import { LiveSubject } from '#dist/server/workbench/live-subject.js';
import { eventually, folder } from '../../../test/harness.js';

const TEXT = `import { sin } from 'node:math-that-is-not';
let level = 0, sill = 2;
const { depth } = { depth: 3 };
export class Gate {
  turn() {}
}
function fill(by: number) {
  level += sin(by);
}
type Side = 'upper' | 'lower';

fill(1);
`;

describe('the statement at a line', () => {
  const { session } = createLive({ file: '/canal/chamber.ts', stdio: 'pipe' });
  const subject = new LiveSubject(session);
  const at = (line: number) => subject.statementAt('/canal/chamber.ts', TEXT, line - 1);

  test('declarations stand for what their names hold now', () => {
    expect(at(1)).toEqual({ text: 'sin', lastLine: 0 });
    expect(at(2)).toEqual({ text: '({ level, sill })', lastLine: 1 });
    expect(at(3)).toEqual({ text: 'depth', lastLine: 2 });
  });

  test('functions, classes and statements are taken as they are, from any of their lines', () => {
    expect(at(5)).toMatchObject({ text: expect.stringMatching(/^export class Gate/) as string, lastLine: 5 });
    expect(at(8)).toMatchObject({ text: expect.stringMatching(/^function fill[^]*\}$/) as string, lastLine: 8 });
    expect(at(12)).toEqual({ text: 'fill(1);', lastLine: 11 });
  });

  test('between statements there is none, and none in a text that does not parse', () => {
    expect(at(11)).toBeUndefined();
    expect(at(40)).toBeUndefined();
    expect(subject.statementAt('/canal/chamber.ts', 'let level = ;', 0)).toBeUndefined();
  });
});

test('lines of what runs and of what a window shows, while they differ', async () => {
  const text = 'let level = 0;\nfunction fill() {\n  level += 1;\n}\nsetInterval(fill, 5);\n';
  const dir = folder({ 'chamber.js': text });
  const file = join(dir, 'chamber.js');
  const { session } = createLive({ file, stdio: 'pipe' });
  let ended = false;
  expect(session.start(() => (ended = true))).toEqual([]);
  const subject = new LiveSubject(session);
  const records: number[] = [];
  subject.onRecord((record) => records.push(record.moments));
  subject.lookAt(new Set([file]));
  await eventually(() => records.length > 2);
  const shown = `// Half a word\nlet lev\n${text.slice(text.indexOf('\n') + 1)}`;
  expect([0, 1, 2, 4].map(subject.lineIn(file, shown))).toEqual([undefined, 2, 3, 5]);
  expect([0, 1, 2, 5].map(subject.lineOut(file, shown))).toEqual([undefined, undefined, 1, 4]);
  expect([0, 3].map(subject.lineIn(file, text))).toEqual([0, 3]);
  // What does not parse is not from the text that runs.
  subject.edit(file, 'let level = ;\n');
  await eventually(() => subject.recordFor(file).target === 'none');
  expect(subject.recordFor(file).errors.map((error) => error.kind)).toEqual(['syntax']);
  subject.edit(file, text);
  await eventually(() => subject.recordFor(file).target === 'process');
  // Nobody looks: the record stands still, and an unsaved text is forgotten.
  subject.edit(file, text.replace('+= 1', '+= 2'));
  await subject.close();
  await eventually(() => session.record.program.files.length === 0);
  await eventually(() => session.textOf(file) === text);
  session.stop();
  await eventually(() => ended);
});
