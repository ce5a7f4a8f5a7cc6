/**
 * One parse of the original text. Everything else (outline, instrumentation,
 * comparing) reads this tree, so positions are those of the person's text.
 */
import { parse as babelParse, type ParserPlugin } from '@babel/parser';
import { depthProblem, isTooDeep } from './depth.js';
import type { Node } from './node.js';
import type { Problem } from './problems.js';
import type { ProjectSettings } from './settings.js';
import type { Written } from './written.js';

export type Language = 'js' | 'jsx' | 'ts' | 'tsx';
/** How a file executes: as an ES module, or as a CommonJS script (sloppy unless it says otherwise). */
export type Goal = 'module' | 'script';

export interface Parsed {
  file: string;
  text: string;
  /** The text as a person sees it, where only a part of it is code and `text` has blanks for the rest. */
  shown?: string;
  language: Language;
  goal: Goal;
  /** A script that is written with `import` and `export`, which a compiler turns into `require` and `exports`. */
  interop: boolean;
  settings: ProjectSettings | undefined;
  /** A module only because it is a pad: to the project it is a script. */
  onlyAsPad?: true;
  /** The program, or null when the text does not parse. */
  program: Node | null;
  comments: Node[];
  problems: Problem[];
  /** What a person wrote, where the text was made of that by other tools. */
  written?: Written | undefined;
  /** True when the parser gave up: there may be more errors behind the first. */
  fatal: boolean;
}

export { EXTENSIONS } from './extensions.js';

export function languageOf(file: string): Language {
  if (/\.tsx$/i.test(file)) return 'tsx';
  if (/\.[mc]?ts$/i.test(file)) return 'ts';
  return /\.(?:[mc]?js|html?)$/i.test(file) ? 'js' : 'jsx';
}

/** What the person's project says about a file: the `type` of its nearest `package.json`. */
export type PackageType = 'module' | 'commonjs' | undefined;

export interface ParseOptions {
  file: string;
  /** It is the pad itself, and no module of a project that one imports. */
  pad?: boolean;
  /** `type` of the nearest `package.json`; decides for `.js` and `.ts` as it does in Node. */
  packageType?: PackageType;
  /** What the project's settings say; undefined where it has none. */
  settings?: ProjectSettings | undefined;
  /** The text was made of this by other tools: it is a module of plain JavaScript, whatever its file is called. */
  written?: Written | undefined;
}

const MODULE_SYNTAX = /^(Import|Export|TSExportAssignment)/;

/**
 * Parses a text with error recovery.
 *
 * The goal follows Node: `.mjs`/`.mts` are modules, `.cjs`/`.cts` scripts, the
 * others follow `packageType`, and without one a file that uses module syntax
 * (import, export, `import.meta`, top-level `await`) is a module. Beyond that
 * a TypeScript file is a module unless it uses CommonJS names.
 *
 * Where TypeScript or JSX is to become a script, it may be written with
 * `import` and `export` all the same, as compilers take it; what only a module
 * has (`import.meta`, `await` at the top level) makes it one.
 *
 * Never throws for bad text: errors are in `problems`.
 */
export function parse(text: string, options: ParseOptions): Parsed {
  try {
    return parseAs(text, options);
  } catch (error) {
    if (!isTooDeep(error)) throw error;
    const { file, settings, packageType } = options;
    const goal = packageType === 'module' ? 'module' : 'script';
    const base = { file, text, language: languageOf(file), goal, interop: false, settings } as const;
    return { ...base, program: null, comments: [], problems: [depthProblem(text)], fatal: false };
  }
}

function parseAs(text: string, options: ParseOptions): Parsed {
  const { file, packageType, settings, written } = options;
  if (written) return { ...attempt(text, file, 'js', 'module', undefined), written };
  const language = languageOf(file);
  const compiled = language !== 'js';
  const fixed = fixedGoal(file, packageType, compiled ? settings : undefined);
  if (fixed === 'script' && options.pad) return padOfScripts(text, options);
  if (fixed === 'script' && compiled) return compiledScript(text, file, language, settings);
  if (fixed !== undefined) return attempt(text, file, language, fixed, settings);

  const asModule = attempt(text, file, language, 'module', settings);
  if (asModule.program !== null && usesModuleSyntax(asModule.program, text)) return asModule;
  const typed = language === 'ts' || language === 'tsx';
  if (typed && !COMMONJS_NAMES.test(text)) return asModule;
  const asScript = attempt(text, file, language, 'script', settings);
  return asScript.problems.length <= asModule.problems.length ? asScript : asModule;
}

function compiledScript(text: string, file: string, language: Language, settings: ProjectSettings | undefined): Parsed {
  if (/\b(import|export|await)\b/.test(text)) {
    const asModule = attempt(text, file, language, 'module', settings);
    if (asModule.program !== null) {
      if (mentionsTopLevel(asModule.program)) return asModule;
      if ((asModule.program.body as Node[]).some((statement) => IMPORT_EXPORT.test(statement.type)))
        return { ...asModule, goal: 'script', interop: true };
    }
  }
  return attempt(text, file, language, 'script', settings);
}

/** A pad where files are scripts; one with pasted code that only a module may have runs as a module all the same. */
function padOfScripts(text: string, { file, settings }: ParseOptions): Parsed {
  const language = languageOf(file);
  const asScript =
    language === 'js'
      ? attempt(text, file, language, 'script', settings)
      : compiledScript(text, file, language, settings);
  if (asScript.goal === 'script' && asScript.problems.length === 0) return asScript;
  if (!/\b(import|export|await)\b/.test(text)) return asScript;
  const asModule = asScript.goal === 'module' ? asScript : attempt(text, file, language, 'module', settings);
  return asModule.program !== null && asModule.problems.length === 0 ? { ...asModule, onlyAsPad: true } : asScript;
}

const IMPORT_EXPORT = /^(ImportDeclaration|Export)/;

const COMMONJS_NAMES = /\b(require\s*\(|module\.exports|exports\.|__dirname|__filename)/;

function fixedGoal(file: string, packageType: PackageType, settings: ProjectSettings | undefined): Goal | undefined {
  if (/\.m[jt]s$/i.test(file)) return 'module';
  if (/\.c[jt]s$/i.test(file)) return 'script';
  if (packageType === 'module') return 'module';
  if (packageType === 'commonjs') return 'script';
  // Without a `type` a package is one of scripts to TypeScript; settings for a bundler leave it open.
  if (settings && settings.module !== 'esm') return 'script';
  return undefined;
}

function attempt(
  text: string,
  file: string,
  language: Language,
  goal: Goal,
  settings: ProjectSettings | undefined,
): Parsed {
  const plugins: ParserPlugin[] = [
    settings?.experimentalDecorators === true ? 'decorators-legacy' : 'decorators',
    'decoratorAutoAccessors',
    'explicitResourceManagement',
  ];
  if (language === 'ts' || language === 'tsx') plugins.push('typescript');
  if (language !== 'ts') plugins.push('jsx');
  const base = { file, text, language, goal, interop: false, settings };
  try {
    const result = babelParse(text, {
      sourceType: goal,
      plugins,
      errorRecovery: true,
      attachComment: false,
      allowReturnOutsideFunction: goal === 'script',
      // `export` inside a namespace is no module syntax; at the top level it is refused below.
      allowImportExportEverywhere: goal === 'script' && plugins.includes('typescript'),
      allowNewTargetOutsideFunction: goal === 'script',
    });
    const problems = (result.errors ?? [])
      .filter((error) => !isLateError(error as unknown as BabelError, result.program as unknown as Node))
      .map((error) => problemOf(error as unknown as BabelError, text));
    if (goal === 'script') {
      for (const statement of (result.program as unknown as Node).body as Node[])
        if (MODULE_SYNTAX.test(statement.type) && statement.type !== 'TSExportAssignment')
          problems.push({
            code: 'E_SYNTAX',
            message: 'import and export are for modules, and this file is a CommonJS script',
            start: statement.start,
            end: statement.start + 6,
          });
    }
    return {
      ...base,
      program: result.program as unknown as Node,
      comments: (result.comments ?? []) as unknown as Node[],
      problems,
      fatal: false,
    };
  } catch (error) {
    if (!isBabelError(error)) throw error;
    return { ...base, program: null, comments: [], problems: [problemOf(error, text)], fatal: true };
  }
}

interface BabelError {
  message: string;
  reasonCode?: string;
  pos?: number;
  loc?: { index?: number };
}

function isBabelError(error: unknown): error is BabelError {
  return error instanceof SyntaxError && 'loc' in error;
}

/** Engines let a call stand where it is assigned to, and throw when it comes to that: `f() = 1`, `++f()`. */
function isLateError(error: BabelError, program: Node): boolean {
  if (error.reasonCode !== 'InvalidLhs') return false;
  const at = error.pos ?? error.loc?.index ?? -1;
  const find = (node: unknown): boolean => {
    if (node === null || typeof node !== 'object') return false;
    if (Array.isArray(node)) return node.some(find);
    const { type, start, end } = node as Node;
    if (typeof type !== 'string') return false;
    if (end !== undefined && (end <= at || start > at)) return false;
    if (type === 'CallExpression' && start === at) return true;
    return Object.entries(node).some(([key, child]) => key !== 'loc' && key !== 'extra' && find(child));
  };
  return find(program);
}

function problemOf(error: BabelError, text: string): Problem {
  const start = Math.min(error.pos ?? error.loc?.index ?? 0, text.length);
  let end = start;
  while (end < text.length && /[\w$]/.test(text[end]!)) end++;
  const message = error.message.replace(/\s*\(\d+:\d+\)\s*$/, '');
  return {
    code: 'E_SYNTAX',
    message: message.split('\n')[0]!,
    start,
    end: Math.max(end, Math.min(start + 1, text.length)),
  };
}

function usesModuleSyntax(program: Node, text: string): boolean {
  for (const statement of program.body as Node[]) if (MODULE_SYNTAX.test(statement.type)) return true;
  // Measured: walking the whole tree costs twice the parse, and most texts hold neither word.
  return /\bawait\b|\bimport\b/.test(text) && mentionsTopLevel(program);
}

/** Finds `import.meta` anywhere, or `await` outside of every function. */
function mentionsTopLevel(root: Node): boolean {
  const visit = (node: unknown, inFunction: boolean): boolean => {
    if (node === null || typeof node !== 'object') return false;
    if (Array.isArray(node)) return node.some((child) => visit(child, inFunction));
    const { type } = node as Node;
    if (typeof type !== 'string') return false;
    if (type === 'MetaProperty') return (node as Node).meta.name === 'import';
    if (!inFunction && (type === 'AwaitExpression' || (type === 'ForOfStatement' && (node as Node).await))) return true;
    if (!inFunction && type === 'VariableDeclaration' && (node as Node).kind === 'await using') return true;
    const inside = inFunction || /Function|Method/.test(type);
    for (const key in node) {
      if (key === 'loc' || key === 'extra') continue;
      const child = (node as Node)[key];
      if (child !== null && typeof child === 'object' && visit(child, inside)) return true;
    }
    return false;
  };
  return visit(root, false);
}
