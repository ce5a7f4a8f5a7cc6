import { join } from 'node:path';
import { buildSync } from 'esbuild';
import { compile } from '#dist/instrument/compile.js';
import { nodeTranslator } from '#dist/hosts/node/translate.js';
import { liveModule } from '#dist/patch/live-module.js';
import { planText } from '#dist/patch/notes.js';
import { planChanges } from '#dist/patch/plan.js';
import { launch } from './browser.js';
import { CATALOGUE } from './edits/catalogue.js';
import { root } from './harness.js';
import { outlineText } from './stage.js';

/** What the page is asked to do with one edit. */
interface Case {
  code: string;
  hold: string | undefined;
  steps: unknown[];
  then: string;
}

// One file, an ES module, and nothing that only Node has; what a module exports is settled, so a new export shows only to who imports it.
const edits = CATALOGUE.filter(
  (edit) =>
    typeof edit.before === 'string' &&
    edit.file !== 'main.cjs' &&
    !/node:/.test(`${edit.before}${JSON.stringify(edit.after)}`) &&
    !['an export', 'an export list', 'a default export', 'functions put before others'].includes(edit.name),
);

test(`the core of the catalogue, ${edits.length} edits, behaves the same in a page whose modules stay ES modules`, async () => {
  expect(edits.length).toBeGreaterThan(150);
  const cases: Case[] = edits.map((edit, index) => {
    const file = `/canal/${index}/${edit.file}`;
    const before = outlineText(file, edit.before as string);
    const { code } = compile(before, { depth: 'off', form: 'module', patchable: true, translator: nodeTranslator });
    const plan = planChanges(liveModule(before, 'module'), outlineText(file, edit.after as string), nodeTranslator);
    if (edit.says !== undefined && !edit.says.startsWith('failed'))
      expect([edit.name, planText(plan)]).toEqual([edit.name, edit.says]);
    return { code, hold: edit.hold, steps: plan.steps, then: edit.then };
  });
  const browser = await launch();
  try {
    const page = await browser.newPage();
    await page.route('http://wenlow.test/', (route) =>
      route.fulfill({ contentType: 'text/html', body: '<!doctype html><title>Wenlow</title>' }),
    );
    await page.goto('http://wenlow.test/');
    const client = buildSync({
      stdin: {
        contents: `export * from './page.js'; export * from './codec.js';`,
        resolveDir: join(root, 'dist/hosts/browser'),
      },
      bundle: true,
      write: false,
      format: 'iife',
      globalName: 'anvil',
      target: 'es2022',
    });
    await page.addScriptTag({ content: client.outputFiles[0]!.text });
    const given = await page.evaluate(async (all: Case[]) => {
      interface Answer {
        failed?: { error: { message: string } };
      }
      interface Side {
        startPage(channel: unknown, own: string[]): void;
        encode(message: unknown): string;
        decode(text: string): { type: string; answer: Answer };
      }
      const { anvil } = globalThis as unknown as { anvil: Side };
      let tell: (data: unknown) => void = () => undefined;
      let answered: (answer: Answer) => void = () => undefined;
      let page = '';
      anvil.startPage(
        {
          on: (event: string, listener: (data: unknown) => void) => {
            if (event === 'usher-anvil:to') tell = listener;
          },
          send: (event: string, data: { page: string; message: string }) => {
            ({ page } = data);
            if (event !== 'usher-anvil:from') return;
            const message = anvil.decode(data.message);
            if (message.type === 'changed') answered(message.answer);
          },
        },
        [],
      );
      const change = (changed: unknown): void =>
        tell({ page, message: anvil.encode({ type: 'change', ask: 1, change: changed }) });
      const results: string[] = [];
      for (const { code, hold, steps, then } of all) {
        try {
          const url = URL.createObjectURL(new Blob([code], { type: 'text/javascript' }));
          const m = (await import(url)) as object;
          const held: unknown =
            hold === undefined ? undefined : ((0, eval)(`(m) => (${hold}\n)`) as (m: object) => unknown)(m);
          await new Promise<Answer>((resolve) => {
            answered = resolve;
            change({ do: 'patch', steps, links: [], modules: [] });
          });
          const value: unknown = await ((0, eval)(`(m, held) => (${then}\n)`) as (m: object, held: unknown) => unknown)(
            m,
            held,
          );
          results.push(JSON.stringify([value]));
        } catch (error) {
          results.push(String(error));
        }
      }
      return results;
    }, cases);
    const wrong = edits.flatMap((edit, index) => {
      const expected = JSON.stringify([edit.gives]);
      const same = (() => {
        try {
          expect(JSON.parse(given[index]!)).toEqual(JSON.parse(expected));
          return true;
        } catch {
          return false;
        }
      })();
      return same ? [] : [`${edit.group}, ${edit.name}: ${given[index]!} instead of ${expected}`];
    });
    expect(wrong).toEqual([]);
  } finally {
    await browser.close();
  }
});
