/** Code for one part of a file, as an expression that a scope hook evaluates inside a live module. */
import type { Node } from '../syntax/node.js';
import type { FunctionInfo, Outline } from '../syntax/outline.js';
import { memberName } from '../syntax/outline.js';
import type { Translator } from './compile.js';
import { arrowArguments, probePart, type ProbeOptions } from './instrument.js';

export interface PartOptions {
  translator: Translator;
  patchIds: readonly number[];
  late: ReadonlySet<string>;
  /** The code becomes the later version of a function that exists; without it, a function of its own. */
  replaces?: boolean;
}

class Part {
  private readonly base: string;
  private readonly whole: boolean;

  constructor(
    private readonly outline: Outline,
    private readonly options: PartOptions,
  ) {
    const { parsed } = outline;
    const typed = parsed.language === 'ts' || parsed.language === 'tsx';
    const erased = typed && outline.hasTypes && !outline.needsTranslation ? options.translator.erase(parsed.text, parsed.goal) : parsed.text;
    this.whole = outline.needsTranslation || erased === null;
    this.base = erased ?? parsed.text;
  }

  edits(node: Node): { text: (from: number, to: number) => string; prefix: string; blank: (from: number, to: number) => void } {
    const options: ProbeOptions = {
      depth: 'off',
      form: 'linked',
      patchable: true,
      patchIds: this.options.patchIds,
      late: this.options.late,
      ...(this.options.replaces ? { root: node } : {}),
    };
    const { edits, prefix } = probePart(this.outline, node, options);
    return { text: (from, to) => edits.applyTo(this.base, from, to), prefix, blank: (from, to) => edits.blank(from, to) };
  }

  /** Takes types out of an expression where the whole file could not be erased in place. */
  finish(expression: string, start: number): string {
    // As many lines stand before it as in the file, so that a stack names the right one.
    const { text, file } = this.outline.parsed;
    const above = text.slice(0, start).replace(/[^\n]+/g, '');
    const code = `${above}(${expression}\n)\n//# sourceURL=${file}#patch`;
    if (!this.whole) return code;
    const { parsed } = this.outline;
    const typescript = parsed.language === 'ts' || parsed.language === 'tsx';
    return this.options.translator
      .translate(code, { goal: 'script', jsx: 'React', typescript, tsx: parsed.language === 'tsx' })
      .code.replace(/;\s*(?=\/\/# sourceURL|$)/, '\n');
  }
}

/** An expression that gives the later version of a function outside of classes, with its name and no binding of it. */
export function functionExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const part = new Part(outline, options);
  const { node } = info;
  const edits = part.edits(node);
  switch (info.kind) {
    case 'arrow': {
      if ((node.params as Node[]).some((parameter) => parameter.type !== 'Identifier')) {
        // Its patch point passes on what the parameters bound, not what was given for them.
        const arrow = outline.parsed.text.lastIndexOf('=>', node.body.extra?.parenStart ?? node.body.start);
        return part.finish(`${info.async ? 'async ' : ''}(${arrowArguments(node)})${edits.text(arrow, node.end)}`, arrow);
      }
      return part.finish(edits.text(node.start, node.end), node.start);
    }
    case 'function': {
      if (node.id) edits.blank(node.id.start, node.id.end);
      const text = edits.text(node.start, node.end);
      return part.finish(info.name === '' ? text : `{${JSON.stringify(info.name)}:${text}}[${JSON.stringify(info.name)}]`, node.start);
    }
    default: {
      const text = edits.text(node.start, node.end);
      const pick = info.kind === 'getter' ? '.get' : info.kind === 'setter' ? '.set' : '.value';
      return part.finish(`Object.getOwnPropertyDescriptor({${text}},${JSON.stringify(memberName(node))})${pick}`, node.start);
    }
  }
}

/** The text of a class member as a member of an object literal, under a key that a literal can have. */
function memberText(outline: Outline, info: FunctionInfo, options: PartOptions): { part: Part; text: string; key: string } {
  const part = new Part(outline, options);
  const { node } = info;
  const edits = part.edits(node);
  const key = info.name.replace(/^#/, '');
  const open = outline.parsed.text.indexOf('(', node.key.end);
  const prefix = `${info.async ? 'async ' : ''}${info.generator ? '*' : ''}${info.kind === 'getter' ? 'get ' : info.kind === 'setter' ? 'set ' : ''}`;
  return { part, text: `{${prefix}${JSON.stringify(key)}${edits.text(open, node.end)}}`, key };
}

/** An expression that gives `{ home, pick }` for the later version of a class member; see `PatchTable`. */
export function memberExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { part, text, key } = memberText(outline, info, options);
  const pick = info.kind === 'getter' ? '.get' : info.kind === 'setter' ? '.set' : '.value';
  return part.finish(`{home:${text},pick:(home)=>Object.getOwnPropertyDescriptor(home,${JSON.stringify(key)})${pick}}`, info.start);
}

/** An expression that gives an object with a new member in it. */
export function homeExpression(outline: Outline, info: FunctionInfo, options: PartOptions): string {
  const { part, text } = memberText(outline, info, options);
  return part.finish(text, info.start);
}

/** An expression for an initialiser, or a class. */
export function valueExpression(outline: Outline, node: Node, options: PartOptions): string {
  const part = new Part(outline, options);
  const edits = part.edits(node);
  return part.finish(edits.text(node.start, node.end), node.start);
}
