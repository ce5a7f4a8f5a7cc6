/** A value as lines of a tree, from what a target answered. */
import type { LookAnswer, LookRequest, Member, Opened } from '../wire/looking.js';
import { valueText } from '../runtime/text.js';

/** Asks a target; of its answers only those to what is opened here count. */
export type Look = (request: LookRequest) => Promise<Opening | { is: Exclude<LookAnswer['is'], Opening['is']> }>;

type Opening = Extract<LookAnswer, { is: 'opened' | 'members' }>;

export interface TreeOptions {
  /** Levels below the value itself. */
  depth: number;
  /** Members per level; the rest is counted. */
  members: number;
}

/** Lines of text for what was reported at a moment; undefined when there is nothing to open. */
export async function treeLines(
  look: Look,
  moment: number,
  part: number,
  options: TreeOptions,
): Promise<string[] | undefined> {
  const answer = await look({ do: 'open', moment, part });
  if (answer.is !== 'opened') return undefined;
  const lines: string[] = [];
  await level(look, answer.opened, '', options, options.depth, new Set([answer.opened.node]), lines);
  return lines;
}

async function level(
  look: Look,
  opened: Pick<Opened, 'node' | 'total'>,
  indent: string,
  options: TreeOptions,
  depth: number,
  path: Set<number>,
  lines: string[],
): Promise<void> {
  const answer = await look({ do: 'members', node: opened.node, from: 0, count: options.members, filter: '' });
  if (answer.is !== 'members') return;
  for (const member of answer.members) {
    if (member.kind === 'prototype') continue;
    lines.push(`${indent}${memberText(member, path.has(member.node))}`);
    if (depth > 1 && member.node > 0 && !path.has(member.node) && member.value.type === 'object')
      await level(
        look,
        { node: member.node, total: 0 },
        `${indent}  `,
        options,
        depth - 1,
        new Set([...path, member.node]),
        lines,
      );
  }
  const left = answer.total - answer.members.length;
  if (left > 0) lines.push(`${indent}… ${left.toLocaleString('en-US')} more`);
}

/** `tonnes: 12`, `#level: 3`, `half: (getter)`. */
export function memberText(member: Member, circular = false): string {
  return `${member.key}${member.kind === 'entry' ? ' → ' : ': '}${circular ? '(circular)' : valueText(member.value, 160)}`;
}
