/**
 * What a person enters for a module that runs, put to the text of that module:
 * declarations that it has are replaced in place, new ones are joined at its
 * end, statements stand behind them to be run once. The planner does the rest.
 */
import { bare, boundNames, isFunction, type Node } from '../syntax/node.js';
import { outlineOf, type Outline, type TopLevelStatement } from '../syntax/outline.js';
import { parse, type Language } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';

/** A declaration that was entered and that no file has. */
export interface Joined {
  names: readonly string[];
  text: string;
}

export interface EntryProblem {
  /** Line of what was entered, from 0. */
  line: number;
  message: string;
}

export type Entry =
  /** More has to come: a bracket, a string or a comment is open. */
  | { is: 'incomplete' }
  | { is: 'wrong'; problems: EntryProblem[] }
  | {
      is: 'ready';
      /** Text of the module with all that was entered. */
      text: string;
      /** The same without the statements that run once. */
      lasting: string;
      joined: Joined[];
      /** Names whose first value was replaced, which is meant to take effect. */
      assigned: string[];
      /** How many statements run. */
      statements: number;
      /** Line of `text` on which what was entered begins. */
      firstLine: number;
    };

/** Text of joined declarations as it stands behind the text of a file. */
export function joinedText(joined: readonly Joined[]): string {
  return joined.map(({ text }) => `\n${text}`).join('');
}

const EXTENSION: Record<Language, string> = { ts: '.ts', tsx: '.tsx', js: '.js', jsx: '.jsx' };

function parsed(text: string, language: Language): ReturnType<typeof parse> {
  return parse(text, { file: `entry${EXTENSION[language]}`, packageType: 'module' });
}

/**
 * Puts an entry to the text of a module.
 *
 * @param module outline of the text that runs, with what was joined before at its end
 * @param joined what was joined before
 * @param text what is entered: statements and declarations, with `await` at will
 */
export function enter(module: Outline, joined: readonly Joined[], text: string): Entry {
  const { language } = module.parsed;
  const literal = /^\s*\{[^]*\}\s*$/.test(text) ? parsed(`(${text}\n)`, language) : undefined;
  const given = literal && literal.program && literal.problems.length === 0 ? literal : parsed(text, language);
  const first = given.problems[0];
  if (first || !given.program) return unparsed(given, text);
  const entering = new Entering(module, joined, given.text);
  for (const statement of outlineOf(given).statements) entering.take(statement);
  return entering.entry();
}

/** What is not a whole text yet, or is wrong. */
function unparsed({ problems }: ReturnType<typeof parse>, text: string): Entry {
  const lines = new LineTable(text);
  const end = text.trimEnd().length;
  if (problems.some((one) => one.start >= end || /Unterminated (template|comment)/i.test(one.message)))
    return { is: 'incomplete' };
  return { is: 'wrong', problems: problems.map(({ start, message }) => ({ line: lines.lineAt(start), message })) };
}

/** Where each statement of an entry goes. */
class Entering {
  private readonly lines: LineTable;
  /** The text of the module without what was joined. */
  private readonly body: string;
  private readonly problems: EntryProblem[] = [];
  private readonly edits: { start: number; end: number; text: string }[] = [];
  private readonly kept: Joined[];
  private readonly statements: { line: number; text: string }[] = [];
  private readonly assigned: string[] = [];

  constructor(
    private readonly module: Outline,
    joined: readonly Joined[],
    private readonly source: string,
  ) {
    this.lines = new LineTable(source);
    const whole = module.parsed.text;
    this.body = whole.slice(0, whole.length - joinedText(joined).length);
    this.kept = [...joined];
  }

  take(statement: TopLevelStatement): void {
    const { node } = statement;
    const exported =
      node.type === 'ExportNamedDeclaration' && node.declaration ? (node.declaration as Node) : undefined;
    const declaration = exported ?? node;
    switch (statement.kind) {
      case 'import':
        this.import(statement);
        break;
      case 'type':
        this.join(statement.names, this.textOf(declaration));
        break;
      case 'function':
      case 'class':
      case 'enum':
      case 'namespace':
        this.declaration(statement, declaration);
        break;
      case 'const':
      case 'let':
      case 'var':
      case 'using':
        for (const declarator of declaration.declarations as Node[]) this.variable(declarator);
        break;
      case 'export':
        this.wrong(node, 'exports cannot be entered: write them into the file');
        break;
      case 'statement':
        this.statement(node);
        break;
    }
  }

  entry(): Entry {
    const { problems, edits, kept, statements, assigned } = this;
    if (problems.length > 0) return { is: 'wrong', problems };
    let next = this.body;
    for (const edit of edits.sort((a, b) => b.start - a.start))
      next = next.slice(0, edit.start) + edit.text + next.slice(edit.end);
    const lasting = next + joinedText(kept);
    return {
      is: 'ready',
      text: statements.length === 0 ? lasting : `${lasting}\n;\n${placed(statements)}`,
      lasting,
      joined: kept,
      assigned,
      statements: statements.length,
      firstLine: new LineTable(lasting).lineAt(lasting.length) + 2,
    };
  }

  private textOf({ start, end }: Node): string {
    return this.source.slice(start, end);
  }

  private wrong(node: { start: number }, message: string): void {
    this.problems.push({ line: this.lines.lineAt(node.start), message });
  }

  /** The statement of the module itself that declares a name. */
  private inBody(name: string): TopLevelStatement | undefined {
    return this.module.statements.find(
      (statement) => statement.end <= this.body.length && statement.kind !== 'type' && statement.names.includes(name),
    );
  }

  private join(names: readonly string[], text: string): void {
    const { kept } = this;
    const at = kept.findIndex((one) => one.names.length > 0 && one.names.every((name) => names.includes(name)));
    if (at >= 0) kept[at] = { names, text };
    else kept.push({ names, text });
  }

  /** A statement that runs once. One that waits may do so in a script only inside of an async function. */
  private run(at: { start: number }, code: string, expression: boolean): void {
    const closed = /\/\/[^\n]*$/.test(code) ? `${code}\n` : code;
    const waits = this.module.parsed.goal === 'script' && /\bawait\b/.test(code);
    const text = waits
      ? `(async () => ${expression ? `(${closed})` : `{ ${closed} }`})();`
      : expression
        ? `(${closed});`
        : closed;
    this.statements.push({ line: this.lines.lineAt(at.start), text });
  }

  private import(statement: TopLevelStatement): void {
    const { node } = statement;
    if (this.module.parsed.goal === 'script')
      this.wrong(node, 'import declarations belong to ES modules: use require, or await import(…)');
    else if (!alreadyImports(this.module, statement))
      this.join(
        (node.specifiers as Node[]).map((one) => one.local.name as string),
        this.textOf(node),
      );
  }

  private declaration(statement: TopLevelStatement, declaration: Node): void {
    const code = this.textOf(declaration);
    const old = statement.names[0] === undefined ? undefined : this.inBody(statement.names[0]);
    if (!old) this.join(statement.names, code);
    else if (old.kind === statement.kind) {
      const place = old.node.declaration ? (old.node.declaration as Node) : old.node;
      this.edits.push({ start: place.start, end: place.end, text: code });
    } else this.wrong(statement.node, `${statement.names[0]!} is a ${old.kind} of this module: another name is needed`);
  }

  private variable(declarator: Node): void {
    const names = boundNames(declarator.id as Node).map((one) => one.name as string);
    const init = declarator.init as Node | null;
    const code = init ? this.textOf(init) : 'undefined';
    const old = names.length === 1 ? this.inBody(names[0]!) : undefined;
    if (old && (old.kind === 'function' || old.kind === 'class')) {
      this.wrong(declarator, `${names[0]!} is a ${old.kind} of this module: another name is needed`);
      return;
    }
    const live = old && declaratorFor(old, names[0]!);
    if (old?.kind === 'const') {
      if (live?.init && !/\bawait\b/.test(code)) {
        this.edits.push({ start: (live.init as Node).start, end: (live.init as Node).end, text: code });
        this.assigned.push(names[0]!);
      } else
        this.wrong(
          declarator,
          `${names[0]!} is a constant of this module: it takes a new value without await, or another name`,
        );
      return;
    }
    const value = init && bare(init);
    if (
      value &&
      names.length === 1 &&
      declarator.id.type === 'Identifier' &&
      (isFunction(value) || value.type === 'ClassExpression')
    ) {
      if (live?.init) this.edits.push({ start: (live.init as Node).start, end: (live.init as Node).end, text: code });
      else this.join(names, `let ${names[0]!} = ${code};`);
      this.run(declarator, names[0]!, true);
      return;
    }
    for (const name of names)
      if (!this.inBody(name) && !this.kept.some((one) => one.names.includes(name)))
        this.kept.push({ names: [name], text: `let ${name};` });
    const pattern = declarator.id as Node;
    const target =
      pattern.type === 'Identifier'
        ? (pattern.name as string)
        : this.source.slice(pattern.start, (pattern.typeAnnotation as Node | undefined)?.start ?? pattern.end);
    this.run(declarator, `${target} = ${code}`, true);
  }

  private statement(node: Node): void {
    if (node.type !== 'ExpressionStatement') {
      this.run(node, this.textOf(node), false);
      return;
    }
    const expression = node.expression as Node;
    const start = (expression.extra?.parenStart as number | undefined) ?? expression.start;
    this.run(expression, this.source.slice(start, endOf(this.source, expression, node)), true);
  }
}

/** Statements, each on the line it was entered on. */
function placed(statements: readonly { line: number; text: string }[]): string {
  let text = '';
  let at = 0;
  for (const statement of statements) {
    const gap = '\n'.repeat(Math.max(text === '' ? 0 : 1, statement.line - at));
    text += gap + statement.text;
    at += gap.length + statement.text.split('\n').length - 1;
  }
  return text;
}

/** Joined declarations whose names a file has by itself now give way to it. */
export function giveWay(joined: readonly Joined[], file: Outline): Joined[] {
  const taken = new Set([
    ...file.topLevel.keys(),
    ...file.imports.flatMap((entry) => entry.names.map((name) => name.local)),
  ]);
  return joined.filter(({ names }) => !names.some((name) => taken.has(name)));
}

/** The module has an import already that binds the same names to the same things. */
function alreadyImports(module: Outline, statement: TopLevelStatement): boolean {
  const { node } = statement;
  const specifier = node.source.value as string;
  // What nothing uses yet is not among the outline's imports.
  const names = (node.specifiers as Node[]).map((one) => one.local.name as string);
  const has = (name: string): boolean =>
    module.imports.some((other) => other.specifier === specifier && other.names.some((one) => one.local === name));
  return names.length > 0 && names.every(has);
}

function declaratorFor(statement: TopLevelStatement, name: string): Node | undefined {
  const declaration = (statement.node.declaration as Node | undefined) ?? statement.node;
  return (declaration.declarations as Node[] | undefined)?.find(
    (one) => one.id.type === 'Identifier' && one.id.name === name,
  );
}

/** End of an expression with its brackets, without the semicolon. */
function endOf(source: string, expression: Node, statement: Node): number {
  const text = source.slice(expression.end, statement.end);
  const semicolon = text.lastIndexOf(';');
  return expression.end + (semicolon >= 0 && text.slice(semicolon + 1).trim() === '' ? semicolon : text.length);
}
