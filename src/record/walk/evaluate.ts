/**
 * Expressions over recorded values: conditions of places to stop at, and what a person asks of a step. Nothing of the
 * program runs: names, members, operators, and what strings and lists say of themselves.
 */
import { parse } from '../../syntax/parse.js';
import { bare, type Node } from '../../syntax/node.js';
import { AnvilError } from '../../syntax/problems.js';
import type { Value } from '../../wire/value.js';

/** What a name holds; undefined where there is none. */
export type Lookup = (name: string) => Value | undefined;

/** A primitive as itself, an object as its value. */
type Result = string | number | boolean | bigint | null | undefined | { value: Value };

/** Methods of strings that change nothing. */
const OF_STRINGS = new Set([
  ...['includes', 'startsWith', 'endsWith', 'indexOf', 'lastIndexOf', 'toUpperCase', 'toLowerCase', 'trim', 'slice'],
  ...['charAt', 'at', 'padStart', 'padEnd', 'substring', 'repeat'],
]);

/**
 * The value of an expression.
 *
 * @throws AnvilError `E_EXPRESSION` for one that does not parse, that would execute code, or that needs more than was
 * recorded
 */
export function evaluate(text: string, lookup: Lookup): Value {
  const { program, problems } = parse(`(${text}\n)`, { file: 'expression.ts' });
  const statement = (program?.body as Node[] | undefined)?.[0];
  if (problems.length > 0 || statement?.type !== 'ExpressionStatement')
    throw refuse(`"${text}" is no expression: ${problems[0]?.message ?? 'it has to give a value'}.`);
  return toValue(new Evaluation(lookup, `(${text}\n)`).of(statement.expression as Node));
}

/** Whether a condition holds. @throws AnvilError as {@link evaluate} */
export function holds(text: string, lookup: Lookup): boolean {
  return isTruthy(evaluate(text, lookup));
}

function refuse(message: string): AnvilError {
  return new AnvilError('E_EXPRESSION', message);
}

class Evaluation {
  constructor(
    private readonly lookup: Lookup,
    private readonly text: string,
  ) {}

  of(given: Node): Result {
    const node = bare(given);
    switch (node.type) {
      case 'NumericLiteral':
      case 'StringLiteral':
      case 'BooleanLiteral':
        return node.value as string | number | boolean;
      case 'BigIntLiteral':
        return BigInt(node.value as string);
      case 'NullLiteral':
        return null;
      case 'Identifier':
      case 'ThisExpression':
        return this.name(node.type === 'Identifier' ? (node.name as string) : 'this');
      case 'TemplateLiteral':
        return (node.quasis as Node[])
          .map(
            (part, i) =>
              `${part.value.cooked as string}${i < node.expressions.length ? this.asText(node.expressions[i] as Node) : ''}`,
          )
          .join('');
      case 'MemberExpression':
      case 'OptionalMemberExpression':
        return this.member(node);
      case 'UnaryExpression':
        return this.unary(node);
      case 'BinaryExpression':
        return this.binary(node.operator as string, node);
      case 'LogicalExpression': {
        const left = this.of(node.left as Node);
        if (node.operator === '??') return left ?? this.of(node.right as Node);
        return (node.operator === '&&') === truthy(left) ? this.of(node.right as Node) : left;
      }
      case 'ConditionalExpression':
        return this.of((truthy(this.of(node.test as Node)) ? node.consequent : node.alternate) as Node);
      case 'CallExpression':
      case 'OptionalCallExpression':
        return this.call(node);
      default:
        throw refuse(`"${this.written(node)}" would execute code. Only what was recorded can be asked.`);
    }
  }

  private name(name: string): Result {
    if (name === 'undefined') return undefined;
    if (name === 'NaN') return NaN;
    if (name === 'Infinity') return Infinity;
    const value = this.lookup(name);
    if (!value) throw refuse(`No value of ${name} was recorded that is seen here.`);
    return fromValue(value, name);
  }

  private member(node: Node): Result {
    const object = this.of(node.object as Node);
    if (isNothing(object) && node.type === 'OptionalMemberExpression' && node.optional) return undefined;
    const key = node.computed ? this.asText(node.property as Node) : keyOf(node.property as Node);
    return this.read(object, key, node);
  }

  private read(object: Result, key: string, node: Node): Result {
    if (isNothing(object)) throw refuse(`${this.written(node.object as Node)} is ${String(object)}.`);
    if (typeof object === 'string') return key === 'length' ? object.length : object[Number(key)];
    if (typeof object !== 'object') return undefined;
    const { form, size, entries, more, type } = object.value;
    if (key === 'length' && (form === 'array' || form === 'typed')) return size;
    if (key === 'size' && (form === 'map' || form === 'set')) return size;
    if (form === 'error' && key === 'message') return object.value.text;
    if (form === 'error' && key === 'name') return object.value.class ?? 'Error';
    const entry =
      form === 'array' || form === 'typed' ? entries?.[Number(key)] : entries?.find((one) => one.key === key);
    if (entry?.value.form === 'getter') throw refuse(`${this.written(node)} is a getter: it would execute code.`);
    if (entry) return fromValue(entry.value, this.written(node));
    // A member that is not among those that were recorded may be there.
    if (entries === undefined || more !== undefined || type === 'function' || (form !== undefined && form !== 'array'))
      throw refuse(`${this.written(node)} was not recorded.`);
    return undefined;
  }

  private unary(node: Node): Result {
    const argument = this.of(node.argument as Node);
    switch (node.operator) {
      case '!':
        return !truthy(argument);
      case 'typeof':
        return typeof argument === 'object' && argument !== null
          ? argument.value.type
          : argument === null
            ? 'object'
            : typeof argument;
      case '-':
        return typeof argument === 'bigint' ? -argument : -(primitive(argument, this.written(node)) as number);
      case '+':
        return Number(primitive(argument, this.written(node)));
      case 'void':
        return undefined;
      default:
        throw refuse(`"${this.written(node)}" would execute code. Only what was recorded can be asked.`);
    }
  }

  private binary(operator: string, node: Node): Result {
    const left = this.of(node.left as Node);
    const right = this.of(node.right as Node);
    if (/^[!=]==?$/.test(operator)) {
      const same = operator.length === 3 ? equal(left, right) : looselyEqual(left, right);
      return operator.startsWith('!') ? !same : same;
    }
    const apply = OPERATORS[operator];
    if (!apply) throw refuse(`"${operator}" is not understood here.`);
    return apply(
      primitive(left, this.written(node.left as Node)) as never,
      primitive(right, this.written(node.right as Node)) as never,
    );
  }

  /** Methods that say something of a string or a list. */
  private call(node: Node): Result {
    const callee = bare(node.callee as Node);
    if (/Member/.test(callee.type) && !callee.computed) {
      const object = this.of(callee.object as Node);
      const method = callee.property.name as string;
      const given = (node.arguments as Node[]).map((one) => this.of(one));
      if (typeof object === 'string' && OF_STRINGS.has(method))
        return (object[method as 'at'] as (...given: unknown[]) => Result)(...given);
      if (typeof object === 'object' && object?.value.form === 'array' && method === 'includes') {
        if (object.value.more !== undefined || !object.value.entries)
          throw refuse(`Not all of ${this.written(callee.object as Node)} was recorded.`);
        return object.value.entries.some(({ value }) => equal(fromValue(value, ''), given[0]));
      }
    }
    throw refuse(`"${this.written(node)}" would execute code. Only what was recorded can be asked.`);
  }

  private asText(node: Node): string {
    return String(primitive(this.of(node), this.written(node)));
  }

  private written(node: Node): string {
    return this.text.slice(node.start, node.end);
  }
}

const OPERATORS: Readonly<Record<string, (a: never, b: never) => Result>> = {
  '+': (a: number, b: number) => a + b,
  '-': (a: number, b: number) => a - b,
  '*': (a: number, b: number) => a * b,
  '/': (a: number, b: number) => a / b,
  '%': (a: number, b: number) => a % b,
  '**': (a: number, b: number) => a ** b,
  '<': (a: number, b: number) => a < b,
  '>': (a: number, b: number) => a > b,
  '<=': (a: number, b: number) => a <= b,
  '>=': (a: number, b: number) => a >= b,
  '&': (a: number, b: number) => a & b,
  '|': (a: number, b: number) => a | b,
  '^': (a: number, b: number) => a ^ b,
  '<<': (a: number, b: number) => a << b,
  '>>': (a: number, b: number) => a >> b,
  '>>>': (a: number, b: number) => a >>> b,
};

function keyOf(property: Node): string {
  return property.type === 'PrivateName' ? `#${property.id.name as string}` : (property.name as string);
}

function equal(left: Result, right: Result): boolean {
  if (typeof left !== 'object' || typeof right !== 'object' || left === null || right === null) return left === right;
  return left.value.identity !== undefined && left.value.identity === right.value.identity;
}

/** As `==` has it, of what is recorded. */
function looselyEqual(left: Result, right: Result): boolean {
  if (isNothing(left) || isNothing(right)) return isNothing(left) && isNothing(right);
  if (typeof left === 'object' || typeof right === 'object' || typeof left === typeof right) return equal(left, right);
  // Of two kinds of primitives both are numbers.
  return Number(left) === Number(right);
}

function isNothing(result: Result): result is null | undefined {
  return result === null || result === undefined;
}

function primitive(result: Result, written: string): Exclude<Result, { value: Value }> {
  if (typeof result !== 'object' || result === null) return result;
  const { form, text } = result.value;
  if (form === 'date' && text !== undefined) return Date.parse(text);
  throw refuse(`${written} is an object: to make text or a number of it would execute code.`);
}

function truthy(result: Result): boolean {
  return typeof result === 'object' ? result !== null : Boolean(result);
}

/** Whether a value counts as true. */
export function isTruthy(value: Value): boolean {
  return value.type === 'object' || value.type === 'function' || truthy(fromValue(value, ''));
}

function fromValue(value: Value, written: string): Result {
  switch (value.type) {
    case 'undefined':
      return undefined;
    case 'null':
      return null;
    case 'boolean':
      return value.text === 'true';
    case 'number':
      return Number(value.text);
    case 'bigint':
      return BigInt(value.text!);
    case 'string':
      if (value.size !== undefined && written !== '')
        throw refuse(`Only the first ${value.text!.length} characters of ${written} were recorded.`);
      return value.text!;
    default:
      return { value };
  }
}

function toValue(result: Result): Value {
  if (typeof result === 'object') return result === null ? { type: 'null' } : result.value;
  switch (typeof result) {
    case 'undefined':
      return { type: 'undefined' };
    case 'number':
      return { type: 'number', text: Object.is(result, -0) ? '-0' : String(result) };
    default:
      return { type: typeof result as 'string', text: String(result) };
  }
}
