/** Values as a protocol client shows them: a line of text, and a number by which it asks for what is inside. */
import type { DebugProtocol } from '@vscode/debugprotocol';
import { valueText } from '../runtime/text.js';
import type { Member } from '../wire/looking.js';
import type { Value } from '../wire/value.js';

/** What a number stands for. */
export type Inside =
  | { is: 'variables'; list: readonly Named[] }
  | { is: 'value'; value: Value; path: string | undefined }
  /** The rest of an object, of which only the begin was recorded: as it is now. */
  | { is: 'now'; moment: number }
  | { is: 'node'; node: number };

export interface Named {
  name: string;
  value: Value;
  path?: string;
}

/** Asks the program, while it lives, for more of an object. */
export interface Present {
  /** @returns undefined where it is gone */
  open(moment: number): Promise<{ node: number; total: number } | undefined>;
  members(node: number, from: number, count: number): Promise<readonly Member[]>;
  /** A moment at which an object can be opened, by its identity. */
  reported(identity: number): number | undefined;
}

const LONGEST = 1_000;

export class ShownValues {
  private readonly known: Inside[] = [];

  constructor(private readonly present: Present) {}

  /** Numbers of an earlier stop mean nothing any more. */
  forget(): void {
    this.known.length = 0;
  }

  /** How code reaches a member of what a number stands for. */
  pathIn(reference: number, name: string): string | undefined {
    const inside = this.known[reference - 1];
    return inside?.is === 'value' && inside.path !== undefined ? reached(inside.path, inside.value, name) : undefined;
  }

  reference(inside: Inside): number {
    return this.known.push(inside);
  }

  /** @param path how code reaches it, where it does */
  variable(name: string, value: Value, path?: string): DebugProtocol.Variable {
    const held = (value.entries?.length ?? 0) + (value.more ?? 0);
    const list = value.form === 'array' || value.form === 'typed';
    return {
      name,
      value: valueText(value, LONGEST),
      type: value.class ?? (value.form === 'array' ? 'Array' : value.type),
      variablesReference: held > 0 ? this.reference({ is: 'value', value, path }) : 0,
      ...(held > 0 && list ? { indexedVariables: value.size ?? held } : {}),
      ...(path === undefined ? {} : { evaluateName: path }),
      ...(value.form === 'getter' ? { presentationHint: { attributes: ['readOnly'], kind: 'property' } } : {}),
    };
  }

  /**
   * A page of what a number stands for.
   *
   * @returns undefined for a number that means nothing any more
   */
  async page(
    reference: number,
    from: number,
    count: number,
    filter?: 'indexed' | 'named',
  ): Promise<DebugProtocol.Variable[] | undefined> {
    const inside = this.known[reference - 1];
    const end = count > 0 ? from + count : Infinity;
    switch (inside?.is) {
      case 'variables':
        if (filter === 'indexed') return [];
        return inside.list.slice(from, end).map(({ name, value, path }) => this.variable(name, value, path ?? name));
      case 'value':
        return this.inside(inside.value, inside.path, from, end, filter);
      case 'now': {
        const opened = await this.present.open(inside.moment);
        if (!opened) return [];
        return this.nodes(opened.node, from, count > 0 ? count : Math.min(opened.total, 1_000));
      }
      case 'node':
        return this.nodes(inside.node, from, count > 0 ? count : 1_000);
      default:
        return undefined;
    }
  }

  /** What was recorded of an object, and a way to the rest. */
  private async inside(
    value: Value,
    path: string | undefined,
    from: number,
    end: number,
    filter?: 'indexed' | 'named',
  ): Promise<DebugProtocol.Variable[]> {
    const list = value.form === 'array' || value.form === 'typed';
    if (filter !== undefined && (filter === 'indexed') !== list) return [];
    const all = (value.entries ?? []).map((entry, index) => {
      const key = entry.key ?? String(index);
      return { key, value: entry.value, path: path === undefined ? undefined : reached(path, value, key) };
    });
    const found = all.slice(from, end).map((one) => this.variable(one.key, one.value, one.path));
    const moment = value.identity === undefined ? undefined : this.present.reported(value.identity);
    if (value.more === undefined || found.length >= end - from) return found;
    if (moment === undefined) return found;
    // Items that were not recorded are there as they are now, each saying so.
    if (list && Number.isFinite(end)) {
      const opened = await this.present.open(moment);
      const rest = opened
        ? await this.nodes(opened.node, Math.max(from, all.length), end - Math.max(from, all.length))
        : [];
      return [...found, ...rest.map((one) => ({ ...one, name: one.name, value: `${one.value}  (now)` }))];
    }
    const name = `… ${value.more.toLocaleString('en-US')} more, as they are now`;
    return [...found, { name, value: '', variablesReference: this.reference({ is: 'now', moment }) }];
  }

  private async nodes(node: number, from: number, count: number): Promise<DebugProtocol.Variable[]> {
    const members = await this.present.members(node, from, count);
    return members.map((member) => ({
      name: member.key,
      value: valueText(member.value, LONGEST),
      type: member.value.class ?? member.value.type,
      variablesReference: member.node > 0 ? this.reference({ is: 'node', node: member.node }) : 0,
    }));
  }
}

/** How code reaches an entry; undefined where it is reached by a call. */
function reached(path: string, { form }: Value, key: string): string | undefined {
  if (form === 'map' || form === 'set') return undefined;
  if (/^\d+$/.test(key)) return `${path}[${key}]`;
  return /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(key) ? `${path}.${key}` : `${path}[${JSON.stringify(key)}]`;
}
