/** Code for one part of a file, as an expression that a hook evaluates inside a live module. */
import { seesItself } from './own-name.js';
import type { Selected } from '../syntax/selection.js';
import { decodedMappings, TraceMap } from '@jridgewell/trace-mapping';
import { bare, isAnonymousDefinition, type Node } from '../syntax/node.js';
import type { FunctionInfo, Outline } from '../syntax/outline.js';
import { memberName } from '../syntax/outline.js';
import type { Translator } from './translator.js';
import type { Edits } from './edits.js';
import type { Site } from './sites.js';
import { partHelpers, partJsx } from './jsx.js';
import { linesText, NAME, unitText, PATCH_CALL, pointsText } from '../wire/compiled-text.js';
import { arrowArguments } from './arrows.js';
import { probePart } from './instrument.js';
import type { LateMember, ProbeOptions } from './options.js';
import { prefixFor, probeDeclarations } from './probe-names.js';
import type { StopPoints } from './stop-roles.js';
import { hookName, nestingOf, throughReach, type Slots } from './slots.js';

export interface PartOptions {
  translator: Translator;
  slots: Slots;
  /** Top-level names that came after the module had started. */
  late: ReadonlyMap<string, string>;
  /** Expressions for names that are imported. */
  places: ReadonlyMap<string, string>;
  /** Private names the live class has not, and the symbols they are found under. */
  lateMembers: readonly LateMember[];
  /** The later version of a function that sees the scopes around it through a hook. */
  scoped?: boolean;
  /** The part reports: how much, through the probes of which unit, and into which list its sites go. */
  observe?: {
    depth: 'counts' | 'values';
    unit: number;
    sites: Site[];
    guard: boolean;
    selected?: Selected | undefined;
    stops?: StopPoints | undefined;
  };
}

/** Texts without their types, by outline and top-level statement. */
const erased = new WeakMap<Outline, Map<number, string | null>>();

/**
 * The text of a file without its types, at least in the statement that a node
 * stands in: a save changes one of many, and erasing the others would take most
 * of its time. Every character keeps its place.
 */
function baseOf(outline: Outline, translator: Translator, node: Node): string | null {
  const { parsed } = outline;
  const typed = parsed.language === 'ts' || parsed.language === 'tsx';
  if (outline.needsTranslation) return null;
  if (!typed || !outline.hasTypes) return parsed.text;
  const statement = outline.statements.find((one) => one.start <= node.start && one.end >= node.end);
  let table = erased.get(outline);
  if (!table) erased.set(outline, (table = new Map()));
  const key = statement?.start ?? -1;
  let found = table.get(key);
  if (found === undefined) {
    const text = statement
      ? ' '.repeat(statement.start) + parsed.text.slice(statement.start, statement.end)
      : parsed.text;
    found = translator.erase(text, parsed.interop ? 'module' : parsed.goal);
    if (found !== null && statement) found += parsed.text.slice(statement.end);
    table.set(key, found);
  }
  return found;
}

class Part {
  private readonly base: string;
  private readonly whole: boolean;
  readonly edits: Edits;
  readonly prefix: string;
  private readonly reached: ReadonlyMap<string, { constant: boolean }> | undefined;

  constructor(
    private readonly outline: Outline,
    private readonly options: PartOptions,
    node: Node,
    role: { root?: boolean; inMethod?: boolean } = {},
  ) {
    const base = baseOf(outline, options.translator, node);
    this.whole = base === null;
    this.base = base ?? outline.parsed.text;
    const probing: ProbeOptions = {
      depth: options.observe?.depth ?? 'off',
      form: 'linked',
      patchable: true,
      guard: options.observe?.guard ?? true,
      ...(options.observe
        ? { sites: options.observe.sites, selected: options.observe.selected, stops: options.observe.stops }
        : {}),
      slots: options.slots,
      late: options.late,
      places: options.places,
      lateMembers: options.lateMembers,
      ...(role.root ? { root: node } : {}),
      ...(role.root && options.scoped ? { scoped: true } : {}),
      ...(role.inMethod ? { inMethod: true } : {}),
    };
    const { edits, prefix, reached } = probePart(outline, node, probing);
    this.edits = edits;
    this.prefix = prefix;
    this.reached = role.root && options.scoped ? reached : undefined;
  }

  text(from: number, to: number): string {
    return this.edits.applyTo(this.base, from, to);
  }

  /** Takes types out of an expression where the whole file could not be erased in place, and gives it its lines. */
  finish(expression: string, start: number): string {
    // As many lines stand before it as in the file, so that a stack names the right one.
    const { text, file } = this.outline.parsed;
    const above = text.slice(0, start).replace(/[^\n]+/g, '');
    const { observe } = this.options;
    const p = this.prefix;
    const made = this.reached ? throughReach(p, this.reached, expression, above) : expression;
    const lines = this.reached ? '' : above;
    const given = observe
      ? `${lines}(()=>{${probeDeclarations(p, `${p}m.probes(${observe.unit})`, false, observe.stops !== undefined)}return(${made}\n)})()`
      : `${lines}(${made}\n)`;
    const name = `//# sourceURL=${file}${observe ? unitText(observe.unit) : NAME.patch}`;
    if (!this.whole) return `${given}\n${name}${pointsOfCode(given)}`;
    return translated(this.outline, this.options.translator, `${given}\n${name}`);
  }
}

function translated(outline: Outline, translator: Translator, code: string): string {
  const { parsed } = outline;
  const typescript = parsed.language === 'ts' || parsed.language === 'tsx';
  const made = translator.translate(code, {
    goal: 'script',
    jsx: partJsx(outline),
    typescript,
    tsx: parsed.language === 'tsx',
    settings: parsed.settings,
    lowers: outline.lowers,
    compiler: false,
    file: parsed.file,
  });
  const url = /\/\/# sourceURL.*$/m.exec(code)![0];
  const text = partHelpers(made.code, prefixFor(parsed.text))
    .replace(/\/\/# sourceURL.*$/m, '')
    .trimEnd()
    .replace(/;$/, '');
  // The translator prints code anew: what stands on each of its lines is told with its name, so that stacks find it.
  let line = 0;
  const lines = decodedMappings(new TraceMap(made.map)).map((segments) => {
    const found = segments.find((segment) => segment.length >= 4);
    return (line = found ? found[2]! : line);
  });
  const at = text.search(/^\(/m);
  if (at <= 0 || text.slice(0, at).trim() === '') return `${text}\n${url}${pointsOfCode(text)}${linesText(lines)}`;
  // Helpers of the translator stand before the expression; together they are one that gives it.
  const above = text.slice(0, at).split('\n').length - 1;
  lines.splice(above, 0, lines[above] ?? 0);
  const whole = `(()=>{${text.slice(0, at)}\nreturn ${text.slice(at)}})()`;
  return `${whole}\n${url}${pointsOfCode(whole)}${linesText(lines)}`;
}

/** Where the patch points in a code make their calls: stacks leave them out. */
function pointsOfCode(code: string): string {
  return pointsText(
    code
      .split('\n')
      .flatMap((text, line) => [...text.matchAll(PATCH_CALL)].map((match) => [line, match.index, match[0].length])),
  );
}

/**
 * An expression that gives a function outside of classes, with its name and no binding of it.
 *
 * @param role `later`: the later version of one that lives; `bound`: the same for an arrow that passes on what it
 * bound; `new`: a function of its own, with a patch point
 */
export function functionExpression(
  outline: Outline,
  info: FunctionInfo,
  options: PartOptions,
  role: 'later' | 'bound' | 'new',
): string {
  const { node } = info;
  const bound = role === 'bound';
  const part = new Part(outline, options, node, { root: role !== 'new' });
  switch (info.kind) {
    case 'arrow': {
      if (bound) {
        // Its patch point passes on what the parameters bound, not what was given for them.
        const arrow = outline.parsed.text.lastIndexOf('=>', node.body.extra?.parenStart ?? node.body.start);
        return part.finish(
          `${info.async ? 'async ' : ''}(${arrowArguments(node)})${part.text(arrow, node.end)}`,
          arrow,
        );
      }
      return part.finish(named(part.text(node.start, node.end), info.name), node.start);
    }
    case 'function': {
      if (node.id) part.edits.blank(node.id.start, node.id.end);
      const text = named(part.text(node.start, node.end), info.name);
      // A function expression sees itself under its own name: the one that the program holds.
      const own = seesItself(node) ? (node.id.name as string) : undefined;
      return part.finish(own === undefined ? text : `((${own})=>(${text}\n))`, node.start);
    }
    default: {
      const text = part.text(node.start, node.end);
      return part.finish(`Object.getOwnPropertyDescriptor({${text}},${keyText(node)})${picked(info)}`, node.start);
    }
  }
}

function keyText(node: Node): string {
  return node.computed ? 'Reflect.ownKeys(this)[0]' : JSON.stringify(memberName(node));
}

function named(text: string, name: string): string {
  return name === '' || /\(\)|\.|\[/.test(name) ? text : `{${JSON.stringify(name)}:${text}\n}[${JSON.stringify(name)}]`;
}

function picked(info: FunctionInfo): string {
  return info.kind === 'getter' ? '.get' : info.kind === 'setter' ? '.set' : '.value';
}

/** The text of a class or object member as a member of an object literal, under a key that a literal can have. */
function memberText(
  outline: Outline,
  info: FunctionInfo,
  options: PartOptions,
  root: boolean,
): { part: Part; text: string; key: string } {
  const { node } = info;
  const part = new Part(outline, options, node, { root });
  const key = info.name.replace(/^#/, '');
  const open = outline.parsed.text.indexOf(
    '(',
    node.computed ? outline.parsed.text.indexOf(']', node.key.end) : node.key.end,
  );
  const prefix = `${info.async ? 'async ' : ''}${info.generator ? '*' : ''}${info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : ''}`;
  return { part, text: `{${prefix}${JSON.stringify(key)}${part.text(open, node.end)}}`, key };
}

/** An expression that gives `{ home, pick }` for the later version of a class member; see `PatchTable`. */
export function memberExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { part, text, key } = memberText(outline, info, options, true);
  return part.finish(
    `{home:${text},pick:(home)=>Object.getOwnPropertyDescriptor(home,${JSON.stringify(key)})${picked(info)}}`,
    info.start,
  );
}

/** An expression for the later version of an object's method or accessor. */
export function objectMemberExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { part, text, key } = memberText(outline, info, options, true);
  return part.finish(`Object.getOwnPropertyDescriptor(${text},${JSON.stringify(key)})${picked(info)}`, info.start);
}

/** An expression that gives an object with a new member in it. */
export function homeExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { part, text } = memberText(outline, info, options, false);
  return part.finish(text, info.start);
}

/** The body of a constructor that calls `super`, as an arrow function for the hook inside the live constructor. */
export function constructorExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { node } = info;
  const part = new Part(outline, options, node, { root: true });
  part.edits.insert(node.body.start, '=>');
  const open = outline.parsed.text.indexOf('(', node.key.end);
  return part.finish(part.text(open, node.end), info.start);
}

/** An expression for an initialiser, or a class. */
export function valueExpression(outline: Outline, node: Node, options: PartOptions, name = ''): string {
  const part = new Part(outline, options, node);
  const text = part.text(node.start, node.end);
  return part.finish(isAnonymousDefinition(node) ? named(text, name) : text, node.start);
}

/** An object literal with some properties of another. */
export function propertiesExpression(outline: Outline, properties: readonly Node[], options: PartOptions): string {
  const first = properties[0]!;
  const literal: Node = {
    type: 'ObjectExpression',
    start: first.start,
    end: properties[properties.length - 1]!.end,
    properties: [...properties],
  };
  const part = new Part(outline, options, literal);
  return part.finish(
    `{${properties.map((property) => part.text(property.start, property.end)).join(',')}}`,
    first.start,
  );
}

/** A declaration, as an expression that gives an object with the values of its names, or the one of `pick`. */
export function declarationExpression(
  outline: Outline,
  declaration: Node,
  names: readonly string[],
  options: PartOptions,
  pick?: string,
): string {
  const part = new Part(outline, options, declaration);
  const keyword = declaration.type === 'VariableDeclarator' ? 'const ' : '';
  return part.finish(
    `(()=>{${keyword}${part.text(declaration.start, declaration.end)}\nreturn ${pick ?? `{${names.join(',')}}`}})()`,
    declaration.start,
  );
}

/** A statement that runs inside the module, as an expression; one that is an expression gives its value. */
export function statementExpression(outline: Outline, statement: Node, options: PartOptions): string {
  const part = new Part(outline, options, statement);
  const waits = /\bawait\b/.test(outline.parsed.text.slice(statement.start, statement.end));
  const text = part.text(statement.start, statement.end);
  const body = statement.type === 'ExpressionStatement' ? `return ${text}` : text;
  return part.finish(`(${waits ? 'async ' : ''}()=>{${body}\n})()`, statement.start);
}

/** Methods that give the first values of instance fields, one for each, as an object literal. */
export function fieldsExpression(
  outline: Outline,
  fields: readonly { key: string; node: Node; name: string }[],
  owner: Node,
  options: PartOptions,
): string {
  const part = new Part(outline, options, owner, { inMethod: true });
  const { prefix: p } = part;
  const hook = hookName(p, nestingOf(outline, outline.classes.find((info) => info.node === owner)?.parent ?? -1));
  const methods = fields.map(({ key, node, name }) => {
    const value = node.value as Node | null;
    const text = value ? part.text(value.start, value.end) : 'undefined';
    const given = value && isAnonymousDefinition(bare(value)) ? named(text, name) : text;
    const result =
      node.type === 'ClassPrivateProperty' &&
      !options.lateMembers.some((late) => late.name === name && late.start === owner.start)
        ? `this.${name}=(${given}\n)`
        : `return (${given}\n)`;
    return `${JSON.stringify(key)}(){const ${hook}=(${p}x)=>eval(${p}x);${result}}`;
  });
  return part.finish(`{${methods.join(',')}}`, fields[0]?.node.start ?? owner.start);
}

/** The prefix of our own names in code for a text. */
export const prefixOf = (outline: Outline): string => prefixFor(outline.parsed.text);
