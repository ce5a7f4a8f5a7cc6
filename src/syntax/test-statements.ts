/** The statements of a file that declare tests, as they stand in suites. */
import { bare, type Node } from './node.js';
import type { Outline } from './outline.js';
import { testNamesOf } from './tests.js';

export interface TestStatement {
  start: number;
  end: number;
  /** Its name, where the text tells it. */
  title?: string;
  /** It may hold others. */
  suite: boolean;
  /** Of a suite: what is declared in it. */
  inner: TestStatement[];
}

/** What is called on the same names and declares none. */
const OTHERS = new Set([
  ...['before', 'after', 'beforeEach', 'afterEach', 'beforeAll', 'afterAll', 'extend', 'mock', 'run', 'use', 'step'],
]);
const SUITE = /^[fx]?(?:describe|suite|context)$/;
const ONLY = /^(?:only|fit|fdescribe|fcontext)$/;

/** The tests of a file, and whether some of them run alone. */
export function testStatements(outline: Outline): { statements: TestStatement[]; only: boolean } {
  const names = testNamesOf(outline);
  const found = { only: false };
  const visit = (list: readonly Node[]): TestStatement[] =>
    list.flatMap((statement) => {
      const call = statement.type === 'ExpressionStatement' ? declared(statement.expression as Node, names) : undefined;
      if (!call) return [];
      if (call.only) found.only = true;
      const { start, end } = statement;
      const inner = call.body ? visit(call.body) : [];
      const { title, suite } = call;
      return [{ start, end, ...(title === undefined ? {} : { title }), suite, inner }];
    });
  return { statements: visit(outline.parsed.program!.body as Node[]), only: found.only };
}

/** The text of a literal. */
function literalText(node: Node | undefined): string | undefined {
  if (node?.type === 'StringLiteral') return node.value as string;
  const parts = node?.type === 'TemplateLiteral' ? (node.quasis as Node[]) : [];
  return parts.length === 1 ? (parts[0]!.value as { cooked: string }).cooked : undefined;
}

/** How a call declares a test; undefined for all other expressions. */
function declared(
  expression: Node,
  names: ReadonlySet<string>,
): { only: boolean; suite: boolean; title?: string; body?: Node[] } | undefined {
  let at = bare(expression);
  if (at.type === 'AwaitExpression') at = bare(at.argument as Node);
  if (at.type !== 'CallExpression') return undefined;
  const last = (at.arguments as Node[]).findLast(({ type }) => /^(?:Arrow)?FunctionExpression$/.test(type));
  const title = literalText((at.arguments as Node[])[0]);
  const body = last && (last.body as Node).type === 'BlockStatement' ? ((last.body as Node).body as Node[]) : undefined;
  for (let only = false; ;) {
    if (at.type === 'CallExpression') at = bare(at.callee as Node);
    else if (at.type === 'TaggedTemplateExpression') at = bare(at.tag as Node);
    else if (at.type === 'MemberExpression') {
      const name = at.computed ? '' : (at.property.name as string);
      if (OTHERS.has(name)) return undefined;
      only ||= ONLY.test(name);
      at = bare(at.object as Node);
    } else if (at.type === 'Identifier') {
      const name = at.name as string;
      if (!names.has(name)) return undefined;
      const given = title === undefined ? {} : { title };
      return { only: only || ONLY.test(name), suite: SUITE.test(name), ...given, ...(body ? { body } : {}) };
    } else return undefined;
  }
}

/** Number of tests that are declared one by one. */
export function countTests(statements: readonly TestStatement[]): number {
  return statements.reduce((sum, { inner }) => sum + (inner.length === 0 ? 1 : countTests(inner)), 0);
}

/** True where a range of the text holds nothing but tests, each as a whole. */
export function holdsTestsAlone(outline: Outline, start: number, end: number): boolean {
  const names = testNamesOf(outline);
  const visit = (list: readonly Node[]): boolean =>
    list
      .filter((statement) => statement.start < end && statement.end > start)
      .every((statement) => {
        if (statement.type === 'EmptyStatement') return true;
        const call =
          statement.type === 'ExpressionStatement' ? declared(statement.expression as Node, names) : undefined;
        if (!call) return false;
        // A semicolon on a line behind it is its end.
        const more = outline.parsed.text.slice(end, statement.end);
        if (statement.start >= start && /^[\s;]*$/.test(more)) return true;
        return call.body !== undefined && visit(call.body);
      });
  return visit(outline.parsed.program!.body as Node[]);
}
