/** The tests of a file as its text tells them. */
import { boundNames, type Node } from './node.js';
import type { Outline } from './outline.js';
import { waitsAhead } from './replaced-modules.js';
import { TEST_GLOBALS } from './test-globals.js';

/** Test frameworks whose own code runs the tests of a pad. */
export type FrameworkName = 'jest' | 'vitest' | 'mocha' | 'jasmine';

/** The framework that a module belongs to, for those that tests are imported from. */
export const FRAMEWORK_MODULES: Readonly<Record<string, FrameworkName>> = {
  vitest: 'vitest',
  '@jest/globals': 'jest',
  mocha: 'mocha',
};

/** What declares tests and suites when it is imported. */
const DECLARING = new Set(['test', 'it', 'describe', 'suite', 'context', 'specify', 'default', '*']);
/** Globals of which one alone tells that a file is one of tests. */
const TELLING = new Set(['test', 'it', 'describe', 'suite', 'fdescribe', 'xdescribe', 'fit', 'xit', 'xtest']);

/** Names in a file that declare tests or suites, or hold what does: imported, required, or free. */
export function testNamesOf(outline: Outline): Set<string> {
  const names = new Set<string>();
  const isTests = (specifier: string): boolean => specifier === 'node:test' || specifier in FRAMEWORK_MODULES;
  for (const entry of outline.imports)
    if (isTests(entry.specifier))
      for (const name of entry.names) if (DECLARING.has(name.imported)) names.add(name.local);
  for (const call of outline.dynamicImports) {
    if (!isTests(call.specifier) || call.call !== 'require') continue;
    for (const statement of outline.statements) {
      if (statement.start > call.start || statement.end < call.end || statement.node.type !== 'VariableDeclaration')
        continue;
      for (const declarator of statement.node.declarations as Node[])
        if (declarator.start <= call.start && declarator.end >= call.end)
          for (const id of boundNames(declarator.id)) names.add(id.name as string);
    }
  }
  for (const name of freeTestNames(outline)) names.add(name);
  return names;
}

function freeTestNames(outline: Outline): Set<string> {
  const own = new Set(outline.topLevel.keys());
  for (const entry of outline.imports) for (const name of entry.names) own.add(name.local);
  return new Set(outline.references.map(({ name }) => name).filter((name) => TEST_GLOBALS.has(name) && !own.has(name)));
}

/** Calls that replace all modules. */
const REPLACING_ALL = /^\s*\.\s*(enableAutomock|autoMockOn)\s*[(<]/;
const ENVIRONMENT = /@(?:jest|vitest)-environment\s+(?:jest-environment-)?([\w@/.-]+)/;
const ENVIRONMENT_OPTIONS = /@(?:jest|vitest)-environment-options\s+(\{.*\})/;

/** Why a file's tests need the framework itself; undefined where its parts alone can run them. */
export function frameworkGap(outline: Outline): string | undefined {
  const { text } = outline.parsed;
  for (const { name, start, end } of outline.references)
    if (/^(?:jest|vi|vitest)$/.test(name)) {
      const found = REPLACING_ALL.exec(text.slice(end, end + 60));
      if (found) return `line ${lineAt(text, start)} replaces all modules (${name}.${found[1]})`;
    }
  const waiting = waitsAhead(outline);
  if (waiting) return `line ${lineAt(text, waiting.start)} waits before the imports are evaluated`;
  const environment = environmentOf(outline)?.name;
  return environment === undefined || ENVIRONMENTS.has(environment) ? undefined : `its environment is ${environment}`;
}

/** Those that a pad's thread can have. */
const ENVIRONMENTS = new Set(['node', 'jsdom', 'happy-dom']);

/** The environment that the comment at the head of a file asks for. */
export function environmentOf(outline: Outline): { name: string; options: Record<string, unknown> } | undefined {
  const head = /^(?:\s|\/\/.*|\/\*[\s\S]*?\*\/)*/.exec(outline.parsed.text)![0];
  const name = ENVIRONMENT.exec(head)?.[1];
  if (name === undefined) return undefined;
  try {
    const options: unknown = JSON.parse(ENVIRONMENT_OPTIONS.exec(head)?.[1] ?? '{}');
    return { name, options: typeof options === 'object' ? { ...options } : {} };
  } catch {
    return { name, options: {} };
  }
}

function lineAt(text: string, offset: number): number {
  return text.slice(0, offset).split('\n').length;
}

/** True for a file in which tests are declared, for whichever runner. */
export function declaresTests(outline: Outline): boolean {
  return frameworkOf(outline) !== undefined || importsTests(outline);
}

/** True for a file that imports what declares tests. */
export function importsTests(outline: Outline): boolean {
  const framework = frameworkOf(outline);
  return (
    (framework !== undefined && framework !== 'globals') ||
    outline.imports.some(({ specifier, typeOnly }) => specifier === 'node:test' && !typeOnly) ||
    outline.dynamicImports.some(({ specifier }) => specifier === 'node:test')
  );
}

const frameworks = new WeakMap<Outline, FrameworkName | 'globals' | 'none'>();

/** The framework whose module a file imports; `globals` where it uses names that only a framework gives. */
export function frameworkOf(outline: Outline): FrameworkName | 'globals' | undefined {
  let found = frameworks.get(outline);
  if (found === undefined) frameworks.set(outline, (found = findFramework(outline) ?? 'none'));
  return found === 'none' ? undefined : found;
}

function findFramework(outline: Outline): FrameworkName | 'globals' | undefined {
  const specifiers = [
    ...outline.imports.filter(({ typeOnly }) => !typeOnly).map(({ specifier }) => specifier),
    ...outline.dynamicImports.map(({ specifier }) => specifier),
  ];
  for (const specifier of specifiers) {
    const name = FRAMEWORK_MODULES[specifier];
    if (name !== undefined) return name;
  }
  if (specifiers.includes('node:test')) return undefined;
  return [...freeTestNames(outline)].some((name) => TELLING.has(name)) ? 'globals' : undefined;
}
