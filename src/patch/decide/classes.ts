/** What became of classes that live: their members, constructor, parent and private names. */
import { pointsOf } from '../../instrument/points.js';
import type { Node } from '../../syntax/node.js';
import { memberName, type FunctionInfo, type Outline } from '../../syntax/outline.js';
import { directUses, type Change } from '../change.js';
import type { LateNames } from '../late-names.js';
import type { LiveClass } from '../live-module.js';
import { constructorObstacle } from '../obstacles.js';
import { textOf } from '../shapes.js';
import { lineOf, memberLabel, REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';
import { decideFields } from './fields.js';
import { symbolOf, type GoingClass } from './going-class.js';
import { usesFreshNames } from './functions.js';

export function decideClasses(deciding: Deciding): void {
  const { change, decisions } = deciding;
  change.after.classes.forEach((info, index) => {
    const old = change.continuity.classes[index];
    if (!old || old.live.hook === undefined || change.points.classes[index]!.hook !== 'class') return;
    if (change.after.functions.some((one, k) => decisions.made.has(k) && one.owner === index)) return;
    decideClass(deciding, {
      index,
      name: info.name === '' ? info.path : info.name,
      node: info.node,
      old,
      owner: old.live.slot,
    });
  });
}

function decideClass(deciding: Deciding, going: GoingClass): void {
  const { change, names, decisions } = deciding;
  const { node, old, name } = going;
  const before = old.outline.classes[old.index]!.node;
  if (decoratorsOf(node, change.after) !== decoratorsOf(before, old.outline))
    decisions.say('cannot', name, node.start, REASONS.decorators);
  for (const symbol of addPrivateNames(names, node, old.live, name)) decisions.do({ kind: 'symbol', name: symbol });
  decideParent(deciding, going, before);
  decideConstructor(deciding, going);
  decideMembers(deciding, going);
  decideFields(deciding, going, false);
  decideFields(deciding, going, true);
  const blocksIn = (one: Node, outline: Outline): [Node, string][] =>
    (one.body.body as Node[]).flatMap((member) =>
      member.type === 'StaticBlock' ? [[member, change.shapes.of(outline, member)] as [Node, string]] : [],
    );
  const known = new Set(blocksIn(before, old.outline).map(([, shape]) => shape));
  for (const [block, shape] of blocksIn(node, change.after))
    if (!known.has(shape))
      decisions.say(
        'waits',
        `line ${lineOf(change.after, block.start) + 1}: static block of ${name}`,
        block.start,
        REASONS.staticBlock,
      );
}

/** Decorators of a class and its members, as text. */
function decoratorsOf(node: Node, outline: Outline): string {
  return [
    ...((node.decorators ?? []) as Node[]),
    ...(node.body.body as Node[]).flatMap((member) => (member.decorators ?? []) as Node[]),
  ]
    .map((decorator) => textOf(outline, decorator))
    .join(' ');
}

/** Gives private names that a live class has not a symbol each. Gives back the symbols that the module had not. */
export function addPrivateNames(names: LateNames, node: Node, live: LiveClass, className: string): string[] {
  const added: string[] = [];
  for (const member of node.body.body as Node[]) {
    if (member.key?.type !== 'PrivateName') continue;
    const name = memberName(member);
    if (live.privates.has(name)) continue;
    const symbol = `${className}${name}`;
    if (!names.members.some((late) => late.symbol === symbol))
      names.members.push({ name, symbol, start: node.start, end: node.end });
    if (names.keys.has(symbol)) continue;
    names.keys.set(symbol, symbol);
    added.push(symbol);
  }
  return added;
}

function decideParent(
  { change, names, decisions }: Deciding,
  { node, old, owner, name }: GoingClass,
  before: Node,
): void {
  const now = node.superClass as Node | null;
  const was = before.superClass as Node | null;
  if (!now && !was) return;
  const same = now && was && change.shapes.of(change.after, now) === change.shapes.of(old.outline, was);
  if (same && !directUses(change, now).some((one) => names.fresh.has(one) || decisions.changed.has(one))) return;
  if (!now || !was) {
    decisions.say('cannot', name, node.start, now ? REASONS.givenParent : REASONS.keepsParent);
    return;
  }
  decisions.do({ kind: 'parent', at: now.start, name, owner, node: now });
  decisions.say('assigned', `parent of ${name}`, now.start);
}

function decideConstructor(
  { change, names, decisions }: Deciding,
  { index, old, owner, name, node }: GoingClass,
): void {
  const { after, points } = change;
  const point = points.classes[index]!;
  const was = pointsOf(old.outline).classes[old.index]!.constructorIndex;
  const now = point.constructorIndex;
  if ((now < 0 && was < 0) || point.derived !== old.live.derived) return;
  if (
    now >= 0 &&
    was >= 0 &&
    !constructorChanged(change, names, now, old.outline, was) &&
    !decisions.bodies.forced.has(now)
  )
    return;
  const shown = `${name}.constructor`;
  const info = now >= 0 ? after.functions[now]! : undefined;
  const at = info?.start ?? node.start;
  const reason = info && constructorObstacle(change, info, old.live);
  if (reason !== undefined) {
    decisions.say('cannot', shown, at, reason);
    return;
  }
  if (info) decisions.say('patched', shown, at, REASONS.madeFromNow);
  else decisions.say('removed', shown, at, REASONS.madeWithout);
  decisions.do({ kind: 'constructor', at, name: shown, owner, live: old.live, info });
}

function constructorChanged(change: Change, names: LateNames, now: number, outline: Outline, was: number): boolean {
  const { shapes, after } = change;
  return (
    shapes.ofFunction(after, after.functions[now]!.node) !== shapes.ofFunction(outline, outline.functions[was]!.node) ||
    usesFreshNames(change, names, now)
  );
}

/** Members that are new, those of another kind, and those that are gone. */
function decideMembers(deciding: Deciding, going: GoingClass): void {
  const { change, decisions } = deciding;
  const { index, old, node, name } = going;
  const { after, continuity } = change;
  const matched = new Set<number>();
  after.functions.forEach((info, k) => {
    if (info.owner !== index) return;
    const earlier = continuity.functions[k];
    if (earlier?.outline === old.outline) matched.add(earlier.index);
    if (info.kind === 'constructor' || (earlier && !decisions.bodies.replaced.has(k))) return;
    decideMember(deciding, going, info, earlier !== undefined);
  });
  old.outline.functions.forEach((info, k) => {
    if (info.owner === old.index && !matched.has(k) && info.kind !== 'constructor')
      decisions.say('removed', `${name}.${memberLabel(info)}`, node.start, REASONS.memberStays);
  });
}

function decideMember(
  { names, decisions }: Deciding,
  { node, name, owner }: GoingClass,
  info: FunctionInfo,
  hadOne: boolean,
): void {
  const isPrivate = info.name.startsWith('#');
  const symbol = isPrivate ? symbolOf(names, info.name, node) : undefined;
  if (isPrivate && symbol === undefined) {
    decisions.say('cannot', `${name}.${info.name}`, info.start, REASONS.privateKind);
    return;
  }
  const shown = `${name}.${memberLabel(info)}`;
  decisions.do({ kind: 'member', at: info.start, name: shown, owner, info, symbol });
  decisions.say(hadOne ? 'assigned' : 'added', shown, info.start, hadOne ? REASONS.otherKind : undefined);
}
