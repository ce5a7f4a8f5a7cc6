/** Why something failed, in the words of the source. */
import type { RecordError } from '../record/record.js';
import { valueText } from '../runtime/text.js';
import { nearest } from '../syntax/names.js';
import type { Node } from '../syntax/node.js';
import {
  type Place,
  declarationLine,
  kindOf,
  known,
  latest,
  memberAt,
  memberNames,
  memberOf,
  namesInScope,
  textOf,
  valueOf,
} from './explain-place.js';

export interface Reason {
  /** In the words of the source; empty where the message says it all. */
  reason: string;
  /** A name that may have been meant, or what to look at; empty where there is none. */
  hint: string;
}

export function reasonOf(error: RecordError, place: Place): Reason {
  const { message } = error;
  const none = { reason: '', hint: '' };
  let match: RegExpExecArray | null;
  if (
    (match = /^Cannot (read|set) properties of (undefined|null)(?: \((?:reading|setting) '(.*)'\))?$/s.exec(message))
  ) {
    const member = memberAt(place);
    const object = member ? textOf(place, member.object as Node) : '';
    if (object === '') return none;
    return {
      reason: `${object} is ${match[2]}${match[3] === undefined ? '' : `, so '${match[3]}' cannot be ${match[1] === 'read' ? 'read from' : 'set on'} it`}`,
      hint: missingHint(place, member!.object as Node),
    };
  }
  if ((match = /^(.+?) is not (defined|a function|a constructor|iterable)(.*)$/s.exec(message))) {
    const [, subject, what] = match;
    if (what === 'defined') return { reason: '', hint: didYouMean(subject!, namesInScope(place)) };
    const call = [...place.way].reverse().find((node) => /^(Optional)?CallExpression$|^NewExpression$/.test(node.type));
    const callee = call?.callee as Node | undefined;
    if (what === 'iterable' || !callee) return none;
    if (callee.type === 'MemberExpression' || callee.type === 'OptionalMemberExpression') {
      const object = textOf(place, callee.object as Node);
      const name = callee.computed ? '' : (callee.property.name as string);
      const value = valueOf(place, callee.object as Node);
      const found = value && memberOf(value, name);
      const reason = found
        ? `${object}.${name} is ${valueText(found, 80)}`
        : value
          ? `${object} is ${article(kindOf(value))} and has no '${name}'`
          : '';
      return { reason, hint: value ? didYouMean(name, [...memberNames(value, place)]) : '' };
    }
    const value = callee.type === 'Identifier' ? known(place, callee.name as string) : undefined;
    return { reason: value ? `${textOf(place, callee)} is ${valueText(value, 80)}` : '', hint: '' };
  }
  if ((match = /^Cannot access '(.+)' before initialization$/.exec(message))) {
    const line = declarationLine(place, match[1]!);
    return {
      reason: line === undefined ? '' : `${match[1]} gets its value at line ${line + 1}, which had not run`,
      hint: '',
    };
  }
  if (message === 'Assignment to constant variable.') {
    const write = [...place.way]
      .reverse()
      .find(
        (node) =>
          node.type === 'AssignmentExpression' ||
          node.type === 'UpdateExpression' ||
          node.type === 'ExpressionStatement',
      );
    const whole = write?.type === 'ExpressionStatement' ? (write.expression as Node) : write;
    const target = (whole?.left ?? whole?.argument) as Node | undefined;
    const name = target?.type === 'Identifier' ? (target.name as string) : undefined;
    const line = name === undefined ? undefined : declarationLine(place, name);
    return {
      reason: line === undefined ? '' : `${name} is a const, made at line ${line + 1}`,
      hint: line === undefined ? '' : 'Make it a let there, or give the value another name.',
    };
  }
  if (/^Maximum call stack size exceeded/.test(message)) {
    const names = [
      ...new Set(error.frames.filter((frame) => frame.local).map((frame) => frame.name || 'a function')),
    ].slice(0, 4);
    return {
      reason:
        names.length > 0
          ? `${names.join(' and ')} ${names.length === 1 ? 'calls itself' : 'call each other'} without an end`
          : '',
      hint: '',
    };
  }
  return none;
}

/** Why a name or member holds nothing, where a misspelling may be the reason. */
function missingHint(place: Place, object: Node): string {
  if (object.type !== 'MemberExpression' || object.computed) return '';
  const value = valueOf(place, object.object as Node);
  const name = object.property.name as string;
  if (!value || value.entries?.some((entry) => entry.key === name)) return '';
  return didYouMean(name, [...memberNames(value, place)]);
}

function didYouMean(name: string, names: readonly string[]): string {
  const found =
    name.length > 1
      ? nearest(
          name,
          names.filter((one) => one !== name),
        )
      : undefined;
  return found === undefined ? '' : `Did you mean '${found}'?`;
}

/** Says so where the value is that of an earlier visit, because not every visit was looked at. */
export function staleness(place: Place, node: Node): string {
  let root = node;
  while (root.type === 'MemberExpression') root = root.object as Node;
  const found = root.type === 'Identifier' ? latest(place, root.name as string) : undefined;
  if (!found || (place.late ? found.total < 2 : found.sample.visit >= found.total)) return '';
  if (place.late) return ' (as last seen)';
  return ` (at visit ${found.sample.visit.toLocaleString('en-US')} of ${found.total.toLocaleString('en-US')})`;
}

function article(noun: string): string {
  return noun === 'undefined' || noun === 'null' ? noun : `${/^[aeiou]/i.test(noun) ? 'an' : 'a'} ${noun}`;
}
