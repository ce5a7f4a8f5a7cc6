/** Values of a program that stands still, by the numbers under which a client asks for what is in them. */
import type { DebugProtocol } from '@vscode/debugprotocol';
import { valueText } from '../../runtime/text.js';
import type { LookAnswer, LookRequest, Member } from '../../wire/looking.js';
import type { PauseScope } from '../../wire/pausing.js';
import type { Value } from '../../wire/value.js';

/** Characters of a value in a list. */
const LONGEST = 1_000;
/** Members of one page. */
const PAGE = 1_000;

type Inside =
  | { is: 'scope'; scope: PauseScope; moment: number; frame: number; where: string }
  | { is: 'opened'; moment: number; part: number; path: string; frame: number; where: string }
  | { is: 'node'; node: number; path: string; frame: number; where: string };

/** Where an expression that assigns is evaluated, and what it assigns to. */
export interface Assignable {
  path: string;
  frame: number;
  where: string;
}

export class LiveValues {
  private readonly known: Inside[] = [];

  constructor(private readonly look: (request: LookRequest) => Promise<LookAnswer>) {}

  /** The program went on: numbers mean nothing any more. */
  clear(): void {
    this.known.length = 0;
  }

  private number(inside: Inside): number {
    return this.known.push(inside);
  }

  scope(scope: PauseScope, moment: number, frame: number, where: string): number {
    return this.number({ is: 'scope', scope, moment, frame, where });
  }

  /** What an expression gave. */
  result(
    value: Value,
    moment: number,
    path: string,
    frame: number,
    where: string,
  ): DebugProtocol.EvaluateResponse['body'] {
    const variablesReference = isOpenable(value)
      ? this.number({ is: 'opened', moment, part: 0, path, frame, where })
      : 0;
    return { result: valueText(value, LONGEST), type: value.class ?? value.type, variablesReference };
  }

  /** A page of what a number stands for; undefined for one that means nothing any more. */
  async page(reference: number, from: number, count: number): Promise<DebugProtocol.Variable[] | undefined> {
    const inside = this.known[reference - 1];
    if (!inside) return undefined;
    const { frame, where } = inside;
    if (inside.is === 'scope') {
      const { scope, moment } = inside;
      return scope.variables.slice(from, count > 0 ? from + count : undefined).map(({ name, value, part }) => ({
        ...{ name, value: valueText(value, LONGEST), type: value.class ?? value.type, evaluateName: name },
        variablesReference: isOpenable(value)
          ? this.number({ is: 'opened', moment, part, path: name, frame, where })
          : 0,
      }));
    }
    let { node } = inside as { node?: number };
    if (inside.is === 'opened') {
      const answer = await this.look({ do: 'open', moment: inside.moment, part: inside.part });
      if (answer.is !== 'opened') return [];
      ({ node } = answer.opened);
    }
    const answer = await this.look({ do: 'members', node: node!, from, count: count > 0 ? count : PAGE, filter: '' });
    if (answer.is !== 'members') return [];
    return answer.members.map((member) => this.member(member, inside.path, frame, where));
  }

  private member(member: Member, around: string, frame: number, where: string): DebugProtocol.Variable {
    const path = member.step === undefined ? '' : `${around}${member.step}`;
    return {
      name: member.key,
      value: member.kind === 'accessor' ? '(getter)' : valueText(member.value, LONGEST),
      type: member.value.class ?? member.value.type,
      ...(path === '' ? {} : { evaluateName: path }),
      variablesReference: member.node > 0 ? this.number({ is: 'node', node: member.node, path, frame, where }) : 0,
    };
  }

  /** What assigning to a name inside of a number means; undefined where it cannot be written as code. */
  assignable(reference: number, name: string): Assignable | undefined {
    const inside = this.known[reference - 1];
    if (!inside) return undefined;
    const { frame, where } = inside;
    if (inside.is === 'scope') return { path: name, frame, where };
    if (inside.path === '') return undefined;
    const step = /^\d+$/.test(name)
      ? `[${name}]`
      : /^[\p{ID_Start}$_#][\p{ID_Continue}$]*$/u.test(name)
        ? `.${name}`
        : `[${JSON.stringify(name)}]`;
    return { path: `${inside.path}${step}`, frame, where };
  }
}

function isOpenable(value: Value): boolean {
  return value.type === 'object' || value.type === 'function';
}
