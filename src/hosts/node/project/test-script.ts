/** The script by which a project runs its test framework. */
import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

export interface TestScript {
  /** The folder of the manifest that has it, or the nearest one. */
  folder: string;
  /** What stands behind the framework's name. */
  words: string[];
  /** Variables that stand before it: `NODE_ENV=test`. */
  env: Record<string, string>;
}

/** The nearest script around a file that names a framework; one without words where there is none. */
export function testScript(file: string, framework: string): TestScript {
  let nearest: string | undefined;
  for (let at = dirname(file); ; at = dirname(at)) {
    try {
      const { scripts = {} } = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8')) as {
        scripts?: Record<string, unknown>;
      };
      nearest ??= at;
      const named = new RegExp(`(?:^|[\\s/])_?${framework}(?:\\.m?js)?(?=\\s|$)`);
      for (const script of [scripts.test, ...Object.values(scripts)])
        if (typeof script === 'string') {
          const part = script.split(/&&|\|\||[;|]/).find((one) => named.test(one));
          if (part !== undefined) return { folder: at, ...parsed(part, named) };
        }
    } catch {
      // None here, or none that can be read.
    }
    if (dirname(at) === at) return { folder: nearest ?? dirname(file), words: [], env: {} };
  }
}

function parsed(part: string, named: RegExp): Pick<TestScript, 'words' | 'env'> {
  const at = named.exec(part)!;
  const env: Record<string, string> = {};
  for (const word of wordsOf(part.slice(0, at.index))) {
    const variable = /^([A-Za-z_]\w*)=(.*)$/.exec(word);
    if (variable) env[variable[1]!] = variable[2]!;
  }
  return { words: wordsOf(part.slice(at.index + at[0].length)), env };
}

/** Words of a line as a shell takes them, as far as quotes go. */
function wordsOf(line: string): string[] {
  return [...line.matchAll(/(?:"[^"]*"|'[^']*'|[^\s"'])+/g)].map(([word]) => word.replace(/["']/g, ''));
}
