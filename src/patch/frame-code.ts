/** Code that a person enters where a frame stands: an expression that sees the variables of the frame and its module. */
import { Edits } from '../instrument/edits.js';
import { replaceNames } from '../instrument/outer-names.js';
import { pointsOf } from '../instrument/points.js';
import { keptMember } from '../instrument/slots.js';
import type { Translator } from '../instrument/translator.js';
import type { Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import { parse } from '../syntax/parse.js';
import { LineTable } from '../syntax/positions.js';
import type { Scope } from '../syntax/scope-data.js';
import { bindingScope, scopesOf } from '../syntax/scopes.js';
import { changeOf } from './change.js';
import { Decisions } from './decisions.js';
import { decideImports } from './decide/imports.js';
import { LateNames } from './late-names.js';
import type { LiveModule } from './live-module.js';
import { isOfPrivateName } from './stops.js';

/** Names as a frame has them. */
export interface FrameNames {
  /** Those that are found by themselves. */
  own: ReadonlySet<string>;
  /** Those of scopes around a later version, which reaches them through an object of ours. */
  reached: ReadonlySet<string>;
}

/**
 * Compiles what is entered for a frame.
 *
 * @param module the one that the frame's code is of; undefined for code that is nobody's
 * @param line on which the frame stands, from 0
 * @returns code that the engine evaluates in the frame, or what is wrong with the text
 */
export function frameCode(
  module: LiveModule | undefined,
  file: string,
  text: string,
  names: FrameNames,
  translator: Translator,
  line = -1,
): { code: string } | { problem: string } {
  const places = module ? placesIn(module, names) : new Map<string, string>();
  return codeInFrame(module?.outline, file, text, places, translator, line);
}

/**
 * Compiles what is entered for a frame.
 *
 * @param outline of the text that the frame runs; undefined for code that is nobody's
 * @param places code for names that the frame has not by themselves
 * @param line on which the frame stands, from 0
 */
export function codeInFrame(
  outline: Outline | undefined,
  file: string,
  text: string,
  places: ReadonlyMap<string, string>,
  translator: Translator,
  line: number,
): { code: string } | { problem: string } {
  const source = `(${text}\n)`;
  const settings = outline?.parsed.settings;
  const written = outline?.parsed.written;
  const parsed = parse(source, { file, packageType: 'commonjs', settings, written });
  // Whether a class around the frame has a private name, its engine knows.
  const problem = parsed.problems.find(({ message }) => !isOfPrivateName(message));
  if (!parsed.program || problem) return { problem: problem?.message ?? 'it is no expression' };
  const [statement] = parsed.program.body as Node[];
  if (parsed.program.body.length !== 1 || statement?.type !== 'ExpressionStatement')
    return { problem: 'it is no expression' };
  const edits = new Edits(source);
  const at = new Map<number, string>();
  const constants = outline && line >= 0 ? constantsAt(outline, line) : new Set<string>();
  for (const { name, start, scope, write } of scopesOf(parsed.program).uses) {
    // The engine would say that it has assigned it.
    if (write && constants.has(name) && !bindingScope(scope, name)) return { problem: `${name} is a constant` };
    const place = bindingScope(scope, name) ? undefined : places.get(name);
    if (place !== undefined) at.set(start, place);
  }
  replaceNames(edits, statement, at);
  const typed = parsed.language === 'ts' || parsed.language === 'tsx';
  const base = typed ? translator.erase(source, parsed.interop ? 'module' : parsed.goal) : source;
  if (base === null) return { problem: 'it cannot be compiled by itself' };
  return { code: edits.applyTo(base, 0, source.length) };
}

/** Names that code on a line sees and may not assign to. */
function constantsAt(outline: Outline, line: number): Set<string> {
  const lines = new LineTable(outline.parsed.text);
  const offset = (lines.starts[line] ?? 0) + Math.max(0, lines.line(line).search(/\S/));
  const { inner, module } = pointsOf(outline).scopes;
  let scope = module;
  for (const [node, one] of inner)
    if (node.start <= offset && node.end > offset && node.start >= scope.node.start) scope = one;
  const constants = new Set<string>();
  const seen = new Set<string>();
  for (let at: Scope | null = scope; at; at = at.parent)
    for (const name of at.names) {
      if (!seen.has(name) && at.constants?.has(name)) constants.add(name);
      seen.add(name);
    }
  return constants;
}

/** Code for the names that a frame has not by themselves. */
function placesIn(module: LiveModule, { own, reached }: FrameNames): Map<string, string> {
  const places = new Map<string, string>();
  const change = changeOf(module, module.outline);
  const known = new LateNames(change.before, change.prefix, module);
  decideImports({ change, names: known, decisions: new Decisions(change.after, []) });
  for (const [name, place] of known.places) if (!own.has(name)) places.set(name, place);
  for (const name of known.keys.keys()) if (!own.has(name) && !places.has(name)) places.set(name, known.placeOf(name));
  for (const name of reached) if (!own.has(name)) places.set(name, keptMember(change.prefix, name));
  return places;
}
