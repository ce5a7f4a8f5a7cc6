/** Sites of a program by their numbers, and the code that stands there. */
import type { Site } from '../../instrument/sites.js';
import { BEFORE_FRAME } from '../../instrument/steps.js';
import { eachChild, type Node } from '../../syntax/node.js';
import { outlineOfText } from '../../syntax/outlined.js';
import type { Outline } from '../../syntax/outline.js';
import type { Program, ProgramFile } from '../program.js';

const known = new WeakMap<Program, Places>();

/** Those of a program; its texts are parsed once. */
export function placesOf(program: Program): Places {
  let found = known.get(program);
  if (!found) known.set(program, (found = new Places(program)));
  return found;
}

export class Places {
  private readonly files: readonly ProgramFile[];
  private readonly outlines = new Map<ProgramFile, Outline | undefined>();

  constructor(program: Program) {
    this.files = [...program.files].sort((a, b) => a.base - b.base);
  }

  /** A site by its program-wide number. */
  site(number: number): { file: ProgramFile; site: Site } {
    const { files } = this;
    let low = 0;
    let high = files.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (files[middle]!.base <= number) low = middle;
      else high = middle - 1;
    }
    const file = files[low]!;
    return { file, site: file.sites[number - file.base]! };
  }

  /** @returns undefined for a file that is none of the program's */
  file(name: string): ProgramFile | undefined {
    return this.files.find(({ file }) => file === name);
  }

  /** Parts that moves over statements pass by: chosen parts of expressions, defaults, first values of fields. */
  isPart(number: number): boolean {
    const { kind, name } = this.site(number).site;
    return kind === 'branch' || (kind === 'step' && name === BEFORE_FRAME);
  }

  /** @returns undefined where a text does not parse any more */
  outline(file: ProgramFile): Outline | undefined {
    if (!this.outlines.has(file)) this.outlines.set(file, outlineOfText(file.lines.text, file.file));
    return this.outlines.get(file);
  }

  /** The nodes around a range of a file, the outermost first; the last has exactly that range where there is one. */
  path(file: ProgramFile, start: number, end: number): Node[] {
    const program = this.outline(file)?.parsed.program;
    const found: Node[] = [];
    const visit = (node: Node): void => {
      found.push(node);
      let inner: Node | undefined;
      eachChild(node, (child) => {
        if (child.start <= start && child.end >= end) inner ??= child;
      });
      if (inner) visit(inner);
    };
    if (program) visit(program);
    while (found.length > 1 && spans(found[found.length - 2]!, start, end)) found.pop();
    return found;
  }

  /** Whether a function is an arrow function, which has no `this` of its own. */
  isArrow(number: number): boolean {
    const { file, site } = this.site(number);
    const path = this.path(file, site.start, site.end);
    return path.some((node) => spans(node, site.start, site.end) && node.type === 'ArrowFunctionExpression');
  }
}

function spans(node: Node, start: number, end: number): boolean {
  return node.start === start && node.end === end;
}
