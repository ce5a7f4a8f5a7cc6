/**
 * All syntax errors of a text, not only the first: a second reading with a
 * parser that is built to go on after an error. It is heavy to load, so the
 * caller passes the loaded module and only when a text does not parse.
 */
import type { Problem } from './problems.js';
import { languageOf } from './parse.js';

type TypeScript = typeof import('typescript');

/**
 * The errors of `text`, the first from `first` (the parser that decides),
 * the others from TypeScript's recovering parser, one per line at most.
 */
export function recoverProblems(ts: TypeScript, file: string, text: string, first: readonly Problem[]): Problem[] {
  const name = `/pad.${languageOf(file)}`;
  const source = ts.createSourceFile(name, text, ts.ScriptTarget.ESNext, false);
  const program = ts.createProgram({
    rootNames: [name],
    options: {
      noLib: true,
      noResolve: true,
      allowJs: true,
      types: [],
      target: ts.ScriptTarget.ESNext,
      jsx: ts.JsxEmit.Preserve,
    },
    host: {
      getSourceFile: (asked) => (asked === name ? source : undefined),
      getDefaultLibFileName: () => '/lib.d.ts',
      writeFile: () => undefined,
      getCurrentDirectory: () => '/',
      getCanonicalFileName: (asked) => asked,
      useCaseSensitiveFileNames: () => true,
      getNewLine: () => '\n',
      fileExists: (asked) => asked === name,
      readFile: () => undefined,
    },
  });
  const lineOf = (offset: number): number => source.getLineAndCharacterOfPosition(Math.min(offset, text.length)).line;
  const found = [...first];
  const lines = new Set(first.map((problem) => lineOf(problem.start)));
  for (const diagnostic of program.getSyntacticDiagnostics(source)) {
    const start = diagnostic.start ?? 0;
    const line = lineOf(start);
    if (lines.has(line)) continue;
    lines.add(line);
    const message = ts.flattenDiagnosticMessageText(diagnostic.messageText, ' ');
    found.push({ code: 'E_SYNTAX', message, start, end: start + Math.max(1, diagnostic.length ?? 1) });
  }
  return found.sort((a, b) => a.start - b.start);
}
