/**
 * Breakpoints and held calls in code that nobody here wrote: published packages as a project's own code, as they are and
 * without semicolons. Each run takes some of them, at some of their statements.
 */
import { readFileSync } from 'node:fs';
import { createLive } from 'usher-anvil';
import { ELSEWHERE, projectOf, type Place, type Project } from './executed-statements.js';
import { entered, eventually, inTurn, WHOLE, executes } from './harness.js';

const CASES = ELSEWHERE.flatMap((one) =>
  [false, true].map((bare) => ({ one, bare, name: `${one.what}${bare ? ', without semicolons' : ''}` })),
);
const PLACES = WHOLE ? 25 : 6;

/** Some of many, others with each run. */
function some<T>(all: readonly T[], count: number): T[] {
  let state = Math.floor(Date.now() / 1_000) % 2 ** 31;
  const left = [...all];
  const taken: T[] = [];
  while (taken.length < count && left.length > 0) {
    state = (state * 1_103_515_245 + 12_345) % 2 ** 31;
    taken.push(...left.splice(state % left.length, 1));
  }
  return taken;
}

async function begin({ dir, main }: Project) {
  let output = '';
  const live = createLive({ file: main, cwd: dir, stdio: 'pipe', onOutput: (_, printed) => (output += printed) });
  const { session } = live;
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.includes('ready'));
  await executes(session, main);
  const read = (text: string): Promise<string | undefined> => entered(session, main, text);
  const turns = async (): Promise<number> => Number(await read('turns'));
  return { session, pausing: session.pausing, held: session.held, read, turns };
}

const shown = ({ line, text }: Place): string => `${line + 1}: ${text}`;

test.each(inTurn(CASES, 4))('stands at statements that are executed, and steps: $name', async ({ one, bare }) => {
  const project = await projectOf(one, bare);
  const places = some(project.places, PLACES);
  expect(places.length).toBe(PLACES);
  const { session, pausing, turns, read } = await begin(project);
  try {
    for (const place of places) {
      const { file, line } = place;
      const made = await pausing.set({ file, line });
      expect([shown(place), made.state]).toEqual([shown(place), 'set']);
      await eventually(() => pausing.all.length === 1);
      const { frames, number } = pausing.all[0]!;
      expect([shown(place), frames[0]!.file, frames[0]!.line]).toEqual([shown(place), file, line]);
      const answer = await pausing.scopes(0);
      if (answer.is !== 'scopes') throw new Error(answer.why);
      for (const { kind, variables } of answer.scopes)
        if (kind === 'local')
          for (const { name, value } of variables.slice(0, 5)) {
            const same = await pausing.evaluate(name, 0);
            // What its statement has not reached yet has no value.
            if (same.is === 'value') expect([name, same.value.text]).toEqual([name, value.text]);
          }
      await pausing.remove(made.id);
      await pausing.go({ how: 'over' });
      await eventually(() => (pausing.all[0]?.number ?? 0) > number, 10_000);
      await pausing.letAllGo();
      await eventually(() => pausing.all.length === 0);
    }
    const before = await turns();
    await eventually(async () => (await turns()) > before);
    expect(await read(`results.size + ' ' + results.has(${JSON.stringify(project.result)})`)).toBe('1 true');
  } finally {
    session.stop();
  }
});

test.each(inTurn(CASES, 4))('waits where it fails, and goes on once it is mended: $name', async ({ one, bare }) => {
  const project = await projectOf(one, bare);
  const { session, pausing, held, turns } = await begin(project);
  try {
    await held.switchTo('on');
    let waited = 0;
    for (const { file, line } of some(project.places, PLACES)) {
      const text = readFileSync(file, 'utf8');
      const lines = text.split('\n');
      lines[line] = `throw new Error('not written'); ${lines[line]}`;
      const before = await turns();
      await session.edit(file, lines.join('\n'));
      // Code of the package may catch it, and go on in another way.
      await eventually(async () => held.all.length > 0 || pausing.all.length > 0 || (await turns()) > before + 3);
      const [call] = held.all;
      if (call) {
        waited++;
        expect(call.error.message).toBe('not written');
        expect([call.frames[0]!.file, call.frames[0]!.line]).toEqual([file, line]);
      }
      await session.edit(file, text);
      await pausing.letAllGo();
      for (const { id } of held.all) expect(await held.again(id)).toMatchObject({ is: 'done' });
      await eventually(() => held.all.length === 0);
      const then = await turns();
      await eventually(async () => (await turns()) > then);
    }
    expect(waited).toBeGreaterThan(0);
  } finally {
    session.stop();
  }
});
