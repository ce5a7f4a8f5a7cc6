import { tokenizer } from 'acorn';
import { transformSync } from 'esbuild';
import { format } from 'prettier';
import { both } from './harness.js';
import { programs } from './programs.js';

/** A comment behind every token where one may stand. */
function commented(text: string): string {
  const tokens = [
    ...tokenizer(text, { ecmaVersion: 'latest', sourceType: 'script', allowReturnOutsideFunction: true } as never),
  ];
  let result = '';
  let at = 0;
  tokens.forEach((token, index) => {
    const next = tokens[index + 1];
    result += text.slice(at, token.end);
    at = token.end;
    if (token.type.label !== 'template' && next?.type.label !== 'template' && token.type.label !== '`')
      result += '/* c */';
  });
  return result + text.slice(at);
}

const bare = (text: string): Promise<string> => format(text, { parser: 'babel', semi: false });

const STYLES: Record<string, (text: string) => string | Promise<string>> = {
  'without semicolons': bare,
  'without semicolons, with CRLF': async (text) => (await bare(text)).replace(/\n/g, '\r\n'),
  'on one line': (text) => transformSync(text, { minifyWhitespace: true, minifySyntax: true, logLevel: 'silent' }).code,
  'with comments everywhere': commented,
  'without semicolons, with comments everywhere': async (text) => commented(await bare(text)),
};

describe.each(Object.entries(STYLES))('programs %s print the same', (_style, write) => {
  test.each([
    ['off', true],
    ['counts', false],
    ['values', false],
  ] as const)('at depth %s (with patch points: %s)', async (depth, patchable) => {
    const wrong: string[] = [];
    let ran = 0;
    for (const [name, text] of Object.entries(programs)) {
      let written: string;
      try {
        written = await write(text);
      } catch {
        // The formatter or tokenizer does not read it: it runs as written elsewhere.
        continue;
      }
      ran++;
      const { plain, instrumented } = await both(written, depth, 'canal.cjs', patchable);
      if (JSON.stringify(plain) !== JSON.stringify(instrumented))
        wrong.push(`${name}: ${JSON.stringify(instrumented)} and not ${JSON.stringify(plain)}`);
    }
    expect(wrong).toEqual([]);
    expect(ran).toBeGreaterThan(Object.keys(programs).length * 0.8);
  });
});
