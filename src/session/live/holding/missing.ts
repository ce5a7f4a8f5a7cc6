/** A function or method that a failed call found missing: what it would be declared as, and where. */
import { eachChild, type Node } from '../../../syntax/node.js';
import type { Outline } from '../../../syntax/outline.js';
import { LineTable } from '../../../syntax/positions.js';

/** Text to put into a file. Lines and characters from 0. */
export interface MissingText {
  file: string;
  /** Offset in the text that runs, and the same as a place. */
  offset: number;
  line: number;
  character: number;
  text: string;
  /** Where the cursor goes: in the body. */
  cursor: { line: number; character: number };
}

/** A call of something that is not there. */
export interface MissingCall {
  name: string;
  /** Code of the object that has no such method; undefined where a function is missing. */
  object: string | undefined;
  parameters: string[];
  isAwaited: boolean;
}

const METHOD = /(?:^|[\s(])(?:[\w$.[\]#?"'()]+)\.(#?[\w$]+) is not a function$/;
const NAME = /^([\w$]+) is not defined$/;

/** The name of the function or method that an error says is not there; undefined where it says something else. */
export function missedName(message: string): string | undefined {
  return /([\w$#]+) is not (?:a function|defined)$/.exec(message)?.[1];
}

/**
 * The call that failed with a message, on a line.
 *
 * @param line from 0
 * @returns undefined where nothing was missing that could be written
 */
export function missingCall(message: string, outline: Outline, line: number): MissingCall | undefined {
  const method = METHOD.exec(message)?.[1];
  const name = method ?? NAME.exec(message)?.[1];
  if (name === undefined) return undefined;
  const lines = new LineTable(outline.parsed.text);
  let found: MissingCall | undefined;
  const search = (node: Node, parent: Node | undefined): void => {
    if (found || lines.lineAt(node.start) > line || lines.lineAt(node.end) < line) return;
    if (/^(Optional)?CallExpression$/.test(node.type) && calledName(node.callee as Node, method !== undefined) === name)
      found = {
        name,
        object: method === undefined ? undefined : textOf(outline, (node.callee as Node).object as Node),
        parameters: parameterNames(node.arguments as Node[]),
        isAwaited: parent?.type === 'AwaitExpression',
      };
    else eachChild(node, (child) => search(child, node));
  };
  search(outline.parsed.program!, undefined);
  return found;
}

function textOf(outline: Outline, { start, end }: Node): string {
  return outline.parsed.text.slice(start, end);
}

function calledName(callee: Node, isMethod: boolean): string | undefined {
  if (!isMethod) return callee.type === 'Identifier' ? (callee.name as string) : undefined;
  if (!/^(Optional)?MemberExpression$/.test(callee.type) || callee.computed) return undefined;
  const { property } = callee;
  return property.type === 'PrivateName' ? `#${property.id.name as string}` : (property.name as string);
}

/** Parameters are named after what the call gives for them. */
function parameterNames(args: readonly Node[]): string[] {
  const used = new Set<string>();
  return args.map((arg) => {
    const rest = arg.type === 'SpreadElement';
    const wanted = nameFor((rest ? arg.argument : arg) as Node);
    let name = wanted;
    for (let n = 2; used.has(name); n++) name = `${wanted}${n}`;
    used.add(name);
    return rest ? `...${name}` : name;
  });
}

function nameFor(node: Node): string {
  switch (node.type) {
    case 'Identifier':
      return node.name as string;
    case 'MemberExpression':
    case 'OptionalMemberExpression':
      if (!node.computed) return (node.property.name as string | undefined) ?? 'value';
      return singular(nameFor(node.object as Node));
    case 'CallExpression':
    case 'NewExpression':
      return lowered(nameFor(node.callee as Node));
    case 'AwaitExpression':
    case 'TSNonNullExpression':
    case 'TSAsExpression':
      return nameFor((node.argument ?? node.expression) as Node);
    case 'StringLiteral':
    case 'TemplateLiteral':
      return 'text';
    case 'NumericLiteral':
      return 'number';
    case 'BooleanLiteral':
      return 'flag';
    case 'ArrowFunctionExpression':
    case 'FunctionExpression':
      return 'callback';
    case 'ArrayExpression':
      return 'list';
    case 'ThisExpression':
      return 'self';
    default:
      return 'value';
  }
}

function singular(name: string): string {
  return /[^s]s$/.test(name) ? name.slice(0, -1) : 'item';
}

function lowered(name: string): string {
  return name.slice(0, 1).toLowerCase() + name.slice(1);
}

/** A method for a class of an outline; undefined where it has no such class. */
export function methodText(
  outline: Outline,
  className: string,
  { name, parameters, isAwaited }: MissingCall,
  isStatic: boolean,
): MissingText | undefined {
  const info = outline.classes.find((one) => one.name === className);
  if (!info) return undefined;
  const { text, file } = outline.parsed;
  const body = info.node.body as Node;
  const members = body.body as Node[];
  const lines = new LineTable(text);
  const around = indentOf(text, info.node.start);
  const unit = unitOf(text);
  const last = members[members.length - 1];
  const indent = last ? indentOf(text, last.start) : around + unit;
  const offset = last ? last.end : body.start + 1;
  const head = `${isStatic ? 'static ' : ''}${isAwaited ? 'async ' : ''}${name}(${parameters.join(', ')}) {`;
  const closes = last ? '' : `\n${around}`;
  const first = last ? `\n\n${indent}` : `\n${indent}`;
  return placed(file, lines, offset, `${first}${head}\n`, `${indent}${unit}`, `\n${indent}}${closes}`);
}

/**
 * A method for an object that is written in a text.
 *
 * @param object names it from the top level, as `book` or `house.book`
 * @returns undefined where no such object is written there
 */
export function objectMethodText(
  outline: Outline,
  object: string,
  { name, parameters, isAwaited }: MissingCall,
): MissingText | undefined {
  const [first, ...path] = object.split('.');
  let literal = writtenObject(outline, first!);
  for (const key of path)
    literal = asObject(
      (literal?.properties as Node[] | undefined)?.find((one) => one.computed !== true && one.key?.name === key)
        ?.value as Node | undefined,
    );
  if (!literal) return undefined;
  const { text, file } = outline.parsed;
  const lines = new LineTable(text);
  const last = (literal.properties as Node[]).at(-1);
  const around = indentOf(text, literal.start);
  const unit = unitOf(text);
  const isLong = last !== undefined && lines.lineAt(last.start) > lines.lineAt(literal.start);
  const indent = isLong ? indentOf(text, last.start) : around + unit;
  const behind = last ? /^\s*,/.exec(text.slice(last.end, literal.end))?.[0].length : undefined;
  const offset = last ? last.end + (behind ?? 0) : literal.start + 1;
  const comma = last && behind === undefined ? ',' : '';
  const head = `${comma}\n${indent}${isAwaited ? 'async ' : ''}${name}(${parameters.join(', ')}) {\n`;
  const tail = `\n${indent}}${behind === undefined ? '' : ','}${isLong ? '' : `\n${around}`}`;
  return placed(file, lines, offset, head, `${indent}${unit}`, tail);
}

/** The object with which a name of the top level begins. */
function writtenObject(outline: Outline, name: string): Node | undefined {
  for (const statement of outline.parsed.program!.body as Node[]) {
    const declaration = (statement.declaration ?? statement) as Node;
    if (declaration.type !== 'VariableDeclaration') continue;
    const found = (declaration.declarations as Node[]).find(({ id }) => id.name === name);
    if (found) return asObject(found.init as Node | undefined);
  }
  return undefined;
}

function asObject(node: Node | null | undefined): Node | undefined {
  if (!node) return undefined;
  if (/^TS(As|Satisfies|NonNull)Expression$/.test(node.type)) return asObject(node.expression as Node);
  return node.type === 'ObjectExpression' ? node : undefined;
}

/** A function of the module, behind the top-level statement that a line stands in. */
export function functionText(
  outline: Outline,
  line: number,
  { name, parameters, isAwaited }: MissingCall,
): MissingText {
  const { text, file } = outline.parsed;
  const lines = new LineTable(text);
  const around = outline.statements.find(({ start, end }) => lines.lineAt(start) <= line && lines.lineAt(end) >= line);
  const offset = around?.end ?? text.trimEnd().length;
  const head = `\n\n${isAwaited ? 'async ' : ''}function ${name}(${parameters.join(', ')}) {\n`;
  return placed(file, lines, offset, head, unitOf(text), '\n}');
}

function placed(file: string, lines: LineTable, offset: number, head: string, body: string, tail: string): MissingText {
  const { line, character } = lines.positionAt(offset);
  const added = head.split('\n').length - 1;
  return {
    ...{ file, offset, line, character },
    text: `${head}${body}${tail}`,
    cursor: { line: line + added, character: body.length },
  };
}

function indentOf(text: string, at: number): string {
  const from = text.lastIndexOf('\n', at - 1) + 1;
  return /^[ \t]*/.exec(text.slice(from, at))![0];
}

/** One step of indentation, as the text has it. */
function unitOf(text: string): string {
  return /^([ \t]+)\S/m.exec(text)?.[1] ?? '  ';
}
