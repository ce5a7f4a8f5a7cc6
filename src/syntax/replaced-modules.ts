/** Modules that a file of tests replaces, and the statements that do so before its imports are evaluated. */
import { bare, type Node } from './node.js';
import type { Outline } from './outline.js';

/** Packages whose objects replace modules, and the names under which they give them. */
const GIVING: Readonly<Record<string, readonly string[]>> = {
  vitest: ['vi', 'vitest'],
  '@jest/globals': ['jest'],
};
const FREE = new Set(['jest', 'vi', 'vitest']);

/** Calls that take effect before the imports of their file, wherever they stand at its top level. */
const AHEAD = new Set(['mock', 'unmock', 'deepUnmock', 'hoisted']);
/** Calls whose first argument names a module. */
const NAMING =
  /^\s*\.\s*(mock|unmock|doMock|doUnmock|dontMock|deepUnmock|setMock|unstable_mockModule|importActual|importMock|requireActual|requireMock|createMockFromModule|genMockFromModule)\s*(?:<[\s\S]{0,200}?>\s*)?\(\s*(?:import\s*\(\s*)?(['"`])([^'"`$\n]+)\2/;

export interface ReplacedModule {
  specifier: string;
  /** Range of the specifier in the text. */
  start: number;
  end: number;
  /** It is replaced before the imports of the file are evaluated. */
  ahead: boolean;
}

interface Found {
  ahead: Node[];
  modules: ReplacedModule[];
}

const found = new WeakMap<Outline, Found>();

/** Statements at the top level that run before the file's imports are evaluated, in order. */
export function statementsAhead(outline: Outline): readonly Node[] {
  return factsOf(outline).ahead;
}

/** Modules that a file replaces, or asks for behind what replaces them. */
export function replacedModules(outline: Outline): readonly ReplacedModule[] {
  return factsOf(outline).modules;
}

function factsOf(outline: Outline): Found {
  let facts = found.get(outline);
  if (!facts) found.set(outline, (facts = find(outline)));
  return facts;
}

function find(outline: Outline): Found {
  const names = givenNames(outline);
  const facts: Found = { ahead: [], modules: [] };
  if (names.size === 0) return facts;
  const { text } = outline.parsed;
  facts.ahead = outline.statements.flatMap(({ node }) => (runsAhead(node, names) ? [node] : []));
  for (const { name, end } of outline.references) {
    if (!names.has(name)) continue;
    const call = NAMING.exec(text.slice(end, end + 400));
    if (!call) continue;
    const [all, method = '', , specifier = ''] = call;
    const start = end + all.length - specifier.length - 1;
    const ahead = AHEAD.has(method) && facts.ahead.some((node) => node.start <= start && node.end > start);
    facts.modules.push({ specifier, start, end: start + specifier.length, ahead });
  }
  return facts;
}

/** Names in the file for the objects that replace modules. */
function givenNames(outline: Outline): Set<string> {
  const names = new Set<string>();
  const own = new Set(outline.topLevel.keys());
  for (const { specifier, names: imported } of outline.imports)
    for (const name of imported) {
      own.add(name.local);
      if (GIVING[specifier]?.includes(name.imported)) names.add(name.local);
    }
  for (const { name } of outline.references) if (FREE.has(name) && !own.has(name)) names.add(name);
  return names;
}

function runsAhead(statement: Node, names: ReadonlySet<string>): boolean {
  if (statement.type === 'ExpressionStatement') return isCallAhead(statement.expression, names);
  if (statement.type !== 'VariableDeclaration' || statement.declare) return false;
  return (statement.declarations as Node[]).some(({ init }) => init && isCallAhead(init as Node, names));
}

/** `vi.mock(…)`, also behind others in a chain, and what is behind an `await`. */
function isCallAhead(expression: Node, names: ReadonlySet<string>): boolean {
  let at = bare(expression);
  if (at.type === 'AwaitExpression') at = bare(at.argument as Node);
  for (let isAhead = false; ;) {
    if (at.type !== 'CallExpression') return false;
    const callee = bare(at.callee as Node);
    if (callee.type !== 'MemberExpression' || callee.computed) return false;
    isAhead ||= AHEAD.has(callee.property.name as string);
    const object = bare(callee.object as Node);
    if (object.type === 'Identifier') return isAhead && names.has(object.name as string);
    at = object;
  }
}

/** The first of the statements that waits: that cannot be done before the imports here. */
export function waitsAhead(outline: Outline): Node | undefined {
  const { text } = outline.parsed;
  return statementsAhead(outline).find(({ start, end }) => /^[^(]*\bawait\b/.test(text.slice(start, end)));
}
