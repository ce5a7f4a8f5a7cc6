/** Why functions and constructors that live cannot take a new body. */
import { bindingScope, usesWithin } from '../syntax/scopes.js';
import type { FunctionInfo } from '../syntax/outline.js';
import { unnamedUses } from '../instrument/captures.js';
import { usesNewTarget } from '../instrument/passed-on.js';
import type { Node } from '../syntax/node.js';
import type { Scope } from '../syntax/scope-data.js';
import type { Change } from './change.js';
import { generationOf, kindOf, type Generation, type LiveClass } from './live-module.js';
import { textOf } from './shapes.js';
import { kindWord } from './wording.js';

/** A function of kind `live` can hand its calls to one of kind `now`. */
export function kindFits(live: Generation['kind'], now: Generation['kind']): boolean {
  return live === now || live === 'plain';
}

/** Why functions of a generation cannot get a new body; undefined when they can. */
export function obstacle(change: Change, index: number, generation: Generation): string | undefined {
  const info = change.after.functions[index]!;
  if (!kindFits(generation.kind, kindOf(info)))
    return `${kindWord(generation.kind)} cannot become ${kindWord(kindOf(info))} in place`;
  return (
    formObstacle(change, index, generation) ??
    scopeObstacle(change, info, generation) ??
    privateObstacle(change, info, generation)
  );
}

/** What the way the function was made forbids: parameters, `this`, `super`. */
function formObstacle(change: Change, index: number, generation: Generation): string | undefined {
  const info = change.after.functions[index]!;
  const text = textOf(change.after, info.node);
  if (generation.form === 'bound') {
    const made = generationOf(change.after, index, 0);
    if (made?.form !== 'bound' || made.bound !== generation.bound)
      return 'its parameters cannot be changed in place, for their patterns hold functions or comments';
  }
  if (generation.arrow && info.kind !== 'arrow' && /\bthis\b/.test(text))
    return 'an arrow function has no `this` of its own, and the new body uses one';
  const inObject = info.owner < 0 && (info.kind === 'method' || info.kind === 'getter' || info.kind === 'setter');
  if (inObject && /\bsuper\b/.test(text)) return '`super` in a method of an object is bound where the object is made';
  const parameters = info.node.params as Node[];
  if (generation.takes < Infinity) {
    const own = usesWithin(change.points.scopes, info.start, info.end).some((use) => use.name === 'arguments');
    const rest = parameters[parameters.length - 1]?.type === 'RestElement';
    if (parameters.length > generation.takes || rest || (own && info.kind !== 'arrow'))
      return 'a function that calls itself gets no more arguments than it had parameters';
  }
  if (!generation.newTarget && info.kind === 'function' && usesNewTarget(info.node))
    return 'it had not asked for `new.target` when it was made';
  return unnamedObstacle(change, info, generation);
}

/** `this` and its like of the function around an arrow function, which its scope has to keep. */
function unnamedObstacle(change: Change, info: FunctionInfo, generation: Generation): string | undefined {
  if (generation.hook === 'whole' || generation.hook === 'field') return undefined;
  const outer = change.points.scopes.outer.get(info.node);
  if (outer === undefined || !hasOwnThis(outer)) return undefined;
  for (const name of unnamedUses(info.node))
    if (name !== 'this' || !generation.layout.has(name))
      return `it uses \`${name}\` of the function around it, which was not kept`;
  return undefined;
}

/** Stands in a function or class that has a `this` of its own. */
function hasOwnThis(scope: Scope): boolean {
  for (let at: Scope | null = scope; at; at = at.parent)
    if (
      at.kind === 'field' ||
      at.kind === 'static' ||
      (at.kind === 'function' && at.node.type !== 'ArrowFunctionExpression')
    )
      return true;
  return false;
}

/** A name that the new body needs and the scope it was made in has not, or has for another thing. */
function scopeObstacle(change: Change, info: FunctionInfo, generation: Generation): string | undefined {
  for (const use of usesWithin(change.points.scopes, info.start, info.end)) {
    if (use.name === 'arguments' && generation.hook === 'whole') continue;
    const scope = bindingScope(use.scope, use.name);
    if (scope !== undefined && scope.node.start >= info.start && scope.node.end <= info.end && scope.kind !== 'module')
      continue;
    const local = scope !== undefined && scope.kind !== 'module';
    if (!local) {
      if (generation.layout.has(use.name)) return `${use.name} means another thing in the scope it was made in`;
      continue;
    }
    if (generation.layout.has(use.name)) continue;
    if (scope.kind === 'class' && generation.hook !== 'module') continue;
    return `it needs ${use.name}, which is not in the scope it was made in`;
  }
  return undefined;
}

/** A private name that the class it was made in has not. */
function privateObstacle(change: Change, info: FunctionInfo, generation: Generation): string | undefined {
  if (info.owner < 0 || generation.hook !== 'inner') return undefined;
  for (const [name] of textOf(change.after, info.node).matchAll(/(?<=\.|\?\.)#[\p{ID_Continue}$]+/gu))
    if (!generation.layout.has(name)) return `its class was made without ${name}`;
  return undefined;
}

/** Why a constructor cannot take the place of the one that lives; undefined when it can. */
export function constructorObstacle(change: Change, info: FunctionInfo, live: LiveClass): string | undefined {
  if (!live.derived)
    return /\bnew\.target\b/.test(textOf(change.after, info.node))
      ? 'a constructor that uses new.target cannot be changed in place: reload the module, or restart'
      : undefined;
  const foreign = usesWithin(change.points.scopes, info.start, info.end).find((use) => {
    const scope = bindingScope(use.scope, use.name);
    return live.constructorNames.has(use.name) && use.name !== 'arguments' && !(scope && scope.node === info.node);
  });
  return (
    foreign &&
    `${foreign.name} means a local of the constructor that lives: give it another name, reload the module, or restart`
  );
}
