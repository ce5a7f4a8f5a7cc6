/** What the text says of a frame: whether its function waits, and whether its code catches what is thrown there. */
import { eachChild, isFunction, type Node } from '../../../syntax/node.js';
import type { FunctionInfo, Outline } from '../../../syntax/outline.js';
import { LineTable } from '../../../syntax/positions.js';
import type { RawFrame } from '../../../wire/reports.js';

/** The text of a file as it is now; frames stand in that. */
export type OutlineOf = (file: string) => Outline | undefined;

/** A frame with a name for whoever reads it: the code of a module itself has none from the engine. */
export function named<Frame extends RawFrame>(frame: Frame, outlineOf: OutlineOf): Frame {
  const outline = frame.name === '' && frame.local && frame.line >= 0 ? outlineOf(frame.file) : undefined;
  return outline && functionsAt(outline, frame.line).length === 0 ? { ...frame, name: 'top level' } : frame;
}

function functionsAt(outline: Outline, line: number): FunctionInfo[] {
  const lines = new LineTable(outline.parsed.text);
  return outline.functions.filter(({ start, end }) => lines.lineAt(start) <= line && lines.lineAt(end) >= line);
}

/** A frame is of an async function. */
export function isAsyncAt({ file, line }: RawFrame, outlineOf: OutlineOf): boolean {
  const outline = outlineOf(file);
  return outline !== undefined && functionsAt(outline, line).at(-1)?.async === true;
}

/** Code of the program catches what is thrown there. */
export function isCaught(frames: readonly RawFrame[], outlineOf: OutlineOf): boolean {
  return frames.some(({ file, line }) => {
    const outline = outlineOf(file);
    return outline !== undefined && isTried(outline, line);
  });
}

/** A line stands in a `try` with a `catch`, within its own function. */
function isTried(outline: Outline, line: number): boolean {
  const lines = new LineTable(outline.parsed.text);
  const covers = (node: Node): boolean => lines.lineAt(node.start) <= line && lines.lineAt(node.end) >= line;
  const search = (node: Node, tried: boolean): boolean => {
    if (!covers(node)) return false;
    let inner: boolean | undefined;
    eachChild(node, (child) => {
      if (inner === true || !covers(child)) return;
      const isBlock = node.type === 'TryStatement' && node.handler && child === node.block;
      inner = search(child, isFunction(child) ? false : tried || isBlock === true) || inner;
    });
    return inner ?? tried;
  };
  return search(outline.parsed.program!, false);
}
