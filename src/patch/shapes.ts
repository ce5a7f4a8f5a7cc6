/** Compares parts of two versions of a text, without those inside that are compared on their own. */
import { pointsOf } from '../instrument/points.js';
import type { Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import type { EarlierFunction } from './continuity.js';
import { ownKey } from './live-module.js';
import { shapeOf } from './shape.js';

type Mask = (node: Node) => string | undefined;

export function textOf(outline: Outline, node: { start: number; end: number }): string {
  return outline.parsed.text.slice(node.start, node.end);
}

export class Shapes {
  private readonly masks = new Map<Outline, Mask>();

  /** @param isNew tells of a function of an outline that it continues none: what makes it has changed */
  constructor(private readonly isNew: (outline: Outline, index: number) => boolean = () => false) {}

  /** The shape of a node; functions with a patch point and classes of the module stand in it as one word each. */
  of(outline: Outline, node: Node): string {
    return shapeOf(node, this.maskOf(outline));
  }

  /** The shape of a function itself, without the functions in it that are compared on their own. */
  ofFunction(outline: Outline, node: Node): string {
    const mask = this.maskOf(outline);
    const ownName = node.type === 'FunctionDeclaration' ? (node.id as Node | null) : undefined;
    return shapeOf(node, (inner) => {
      if (inner === node) return undefined;
      return inner.type === 'Identifier' && inner === ownName ? 'id' : mask(inner);
    });
  }

  /** True when a function has another body, or is another kind of function, than the one it continues. */
  differs(after: Outline, index: number, old: EarlierFunction): boolean {
    if (ownKey(after, index) !== ownKey(old.outline, old.index)) return true;
    const now = after.functions[index]!.node;
    const before = old.outline.functions[old.index]!.node;
    if (textOf(after, now) === textOf(old.outline, before) && after.parsed.language === old.outline.parsed.language)
      return false;
    return this.ofFunction(after, now) !== this.ofFunction(old.outline, before);
  }

  private maskOf(outline: Outline): Mask {
    let mask = this.masks.get(outline);
    if (!mask) {
      const known = maskedNodes(outline, this.isNew);
      mask = (node) => known.get(node);
      this.masks.set(outline, mask);
    }
    return mask;
  }
}

/** Functions with a patch point and classes of the module, and what stands for each in a shape. */
function maskedNodes(outline: Outline, isNew: (outline: Outline, index: number) => boolean): Map<Node, string> {
  const points = pointsOf(outline);
  const known = new Map<Node, string>();
  outline.functions.forEach((info, index) => {
    if (points.functions[index]!.hook === undefined || info.kind === 'constructor') return;
    // A member's name is part of what holds it.
    const { key } = info.node as { key?: Node };
    known.set(
      info.node,
      ownKey(outline, index) + (key ? textOf(outline, key) : '') + (isNew(outline, index) ? ' new' : ''),
    );
  });
  outline.classes.forEach((info, index) => {
    if (points.classes[index]!.hook === 'class') known.set(info.node, 'class');
  });
  return known;
}
