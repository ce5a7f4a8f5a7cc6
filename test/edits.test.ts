import { CATALOGUE } from './edits/catalogue.js';
import { Stage } from './stage.js';

const normal = (value: unknown): unknown => JSON.parse(JSON.stringify([value]))[0];

/** The same with everything observed: a version that reports behaves as one that does not. */
test.each(['counts', 'values'] as const)('edits of a program that is observed at depth %s', async (depth) => {
  const wrong: string[] = [];
  for (const edit of CATALOGUE) {
    try {
      const files = typeof edit.before === 'string' ? { [edit.file]: edit.before } : edit.before;
      const stage = new Stage(files, `/canal/${edit.file}`);
      await stage.start();
      stage.observe(depth);
      if (edit.hold !== undefined) stage.held = stage.evaluate(edit.hold);
      const said = await stage.save(typeof edit.after === 'string' ? { [edit.file]: edit.after } : edit.after);
      if (edit.says !== undefined) expect(said).toBe(edit.says);
      expect(normal(await stage.evaluate(edit.then))).toEqual(edit.gives);
      expect(stage.unobserved).toEqual([]);
    } catch (error) {
      wrong.push(`${edit.group}, ${edit.name}: ${(error as Error).message}`);
    }
  }
  expect(wrong).toEqual([]);
});

describe.each([...new Set(CATALOGUE.map((edit) => edit.group))])('edits: %s', (group) => {
  test.each(CATALOGUE.filter((edit) => edit.group === group).map((edit) => [edit.name, edit] as const))(
    '%s',
    async (_name, edit) => {
      const files = typeof edit.before === 'string' ? { [edit.file]: edit.before } : edit.before;
      const stage = new Stage(files, `/canal/${edit.file}`);
      await stage.start();
      if (edit.hold !== undefined) stage.held = stage.evaluate(edit.hold);
      const after = typeof edit.after === 'string' ? { [edit.file]: edit.after } : edit.after;
      const said = await stage.save(after);
      if (edit.says !== undefined) expect(said).toBe(edit.says);
      else expect(said).not.toMatch(/^failed/);
      expect(normal(await stage.evaluate(edit.then))).toEqual(edit.gives);
      // Saved again, the same text changes nothing.
      if (!said.startsWith('failed'))
        expect(new Set((await stage.save(after)).split(' / '))).toEqual(new Set(['nothing to do']));
    },
  );
});
