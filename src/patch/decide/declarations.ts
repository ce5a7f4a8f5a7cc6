/**
 * What became of the declarations of a module: functions, classes, enums and namespaces; variables have a file of their
 * own.
 */
import { isFunction, type Node } from '../../syntax/node.js';
import type { Outline, TopLevelStatement } from '../../syntax/outline.js';
import { declarationIn, isImported } from '../change.js';
import type { Source } from '../decisions.js';
import { shapeOf } from '../shape.js';
import { textOf } from '../shapes.js';
import { REASONS } from '../wording.js';
import type { Deciding } from './deciding.js';
import { decideDependents } from './dependents.js';
import { decideRename, isOtherKind } from './names.js';
import { decideVariables } from './variables.js';

export function decideDeclarations(deciding: Deciding): void {
  const { change } = deciding;
  const renamedFrom = new Set(change.continuity.renamed.values());
  for (const statement of change.after.statements) {
    switch (statement.kind) {
      case 'function':
      case 'class':
        decideDefinition(deciding, statement);
        break;
      case 'const':
      case 'let':
      case 'var':
      case 'using':
        decideVariables(deciding, statement, renamedFrom);
        break;
      case 'enum':
      case 'namespace':
        decideTranslated(deciding, statement);
        break;
    }
  }
  decideGone(deciding, renamedFrom);
  decideDependents(deciding);
}

/** Names that the text has no more. They stay for whoever holds them, and are taken up when they come back. */
function decideGone({ change, names, decisions }: Deciding, renamedFrom: ReadonlySet<string>): void {
  const { before, after, module } = change;
  for (const [name, kind] of before.topLevel) {
    if (after.topLevel.has(name) || renamedFrom.has(name)) continue;
    const statement = before.statements.find((one) => one.names.includes(name));
    if (!statement) continue;
    const index = before.functions.findIndex((info) => info.parent < 0 && info.owner < 0 && info.name === name);
    const classIndex = before.classes.findIndex((info) => info.parent < 0 && info.name === name);
    names.gone.set(name, {
      outline: before,
      statement,
      ...(index >= 0 ? { function: { index, generations: module.functions[index]! } } : {}),
      ...(classIndex >= 0 ? { class: { index: classIndex, live: module.classes[classIndex]! } } : {}),
    });
    // A name that an import takes over is not gone.
    if (isImported(after, name)) continue;
    decisions.sayOnLine('removed', name, 0, kind === 'function' ? REASONS.functionGone : REASONS.valueGone);
  }
}

/** A function or class that is declared at the top level. */
function decideDefinition(deciding: Deciding, statement: TopLevelStatement): void {
  const { change, names, decisions } = deciding;
  const { after, continuity } = change;
  const name = statement.names[0];
  const node = declarationIn(statement.node);
  if (name === undefined) return;
  const isFunctionStatement = statement.kind === 'function';
  const index = isFunctionStatement
    ? after.functions.findIndex((info) => info.node === node)
    : after.classes.findIndex((info) => info.node === node);
  if (index < 0) return;
  const renamed = continuity.renamed.get(name);
  if (renamed !== undefined) {
    decideRename(deciding, name, renamed, node.start);
    return;
  }
  const old = isFunctionStatement ? continuity.functions[index] : continuity.classes[index];
  if (old && names.declared(name) && !(isFunctionStatement && isOtherKind(deciding, index))) {
    // What came back is not gone any more: its slots go on with it, also under another name.
    names.gone.delete(name);
    return;
  }
  const source: Source = isFunctionStatement ? { of: 'function', node, index } : { of: 'value', node };
  decisions.makeAnew(node);
  if (names.continued(name)) {
    // The name was something else, or what it was cannot become this: it is bound anew.
    decisions.do({ kind: 'assign', at: node.start, name, how: 'assign', source });
    decisions.say('assigned', name, node.start, REASONS.rebound);
    decisions.changed.add(name);
    return;
  }
  const key = names.add(name);
  names.gone.delete(name);
  decisions.do({ kind: 'declare', at: isFunctionStatement ? -1 : node.start, key, source, early: isFunctionStatement });
  decisions.say('added', name, node.start);
}

/** Enums are made anew in place; namespaces are not. */
function decideTranslated({ change, names, decisions }: Deciding, statement: TopLevelStatement): void {
  const name = statement.names[0]!;
  const node = declarationIn(statement.node);
  const isNamespace = statement.kind === 'namespace';
  const previous = names.declared(name);
  const shape = (outline: Outline, one: Node): string =>
    shapeOf(one, (inner) => (isNamespace && isFunction(inner) ? textOf(outline, inner) : undefined));
  if (previous && shape(previous.outline, declarationIn(previous.statement.node)) === shape(change.after, node)) return;
  if (previous && isNamespace) {
    decisions.say('cannot', name, node.start, REASONS.namespaceMade);
    return;
  }
  decisions.makeAnew(node);
  if (!previous) {
    const key = names.add(name);
    decisions.say('added', name, node.start);
    decisions.do({
      kind: 'declare',
      at: node.start,
      key,
      source: { of: 'declaration', node, names: [name], name },
      early: false,
    });
    return;
  }
  decisions.changed.add(name);
  // The translator writes the numbers of an enum where its members are used: those uses are compiled anew.
  names.fresh.add(name);
  decisions.say('assigned', name, node.start);
  decisions.do({ kind: 'enum', at: node.start, name, node });
}
