/**
 * From the changes of a file to a plan: the steps a target takes, and in words
 * what is done and what is not. The plan is applied whole or not at all.
 */
import { functionExpression, homeExpression, memberExpression, valueExpression, type PartOptions } from '../instrument/part.js';
import type { Translator } from '../instrument/compile.js';
import type { Outline } from '../syntax/outline.js';
import { compareOutlines, type Change } from './compare.js';
import type { Step } from './steps.js';

/** What is known of a live module: the version it runs, and the numbers of its functions. */
export interface LiveModule {
  file: string;
  outline: Outline;
  /** Patch table number of each function of `outline`. */
  ids: readonly number[];
  nextId: number;
  /** Names that came after the module had started. */
  late: ReadonlySet<string>;
}

export interface PlanNote {
  kind: 'patched' | 'added' | 'assigned' | 'kept' | 'removed' | 'waits' | 'cannot';
  name: string;
  /** For `cannot` and `kept`: why, and the way round. */
  reason?: string;
}

export interface Plan {
  file: string;
  steps: Step[];
  notes: PlanNote[];
  /** The module's state once the plan is applied. */
  next: LiveModule;
}

/** The state of a module that has just started. */
export function liveModule(outline: Outline): LiveModule {
  return { file: outline.parsed.file, outline, ids: outline.functions.map((_, index) => index), nextId: outline.functions.length, late: new Set() };
}

/** Plans the way from the version that runs to a new one. */
export function planChanges(module: LiveModule, after: Outline, translator: Translator): Plan {
  const { changes, continues } = compareOutlines(module.outline, after);
  let { nextId } = module;
  const ids = after.functions.map((_, index) => (continues[index]! >= 0 ? module.ids[continues[index]!]! : nextId++));
  const late = new Set(module.late);
  for (const change of changes) if (change.kind === 'added-function' || change.kind === 'added-class' || change.kind === 'added-value') late.add(change.name);
  const options: PartOptions = { translator, patchIds: ids, late };
  const { file } = module;
  const steps: Step[] = [];
  const assigns: Step[] = [];
  const bodies: Step[] = [];
  const notes: PlanNote[] = [];
  for (const change of changes) {
    switch (change.kind) {
      case 'added-function':
        steps.push({
          kind: 'declare',
          file,
          name: change.name,
          code: functionExpression(after, after.functions[change.after]!, options),
          exported: change.exported,
        });
        notes.push({ kind: 'added', name: change.name });
        break;
      case 'added-class':
        steps.push({ kind: 'declare', file, name: change.name, code: valueExpression(after, change.node, options), exported: change.exported });
        notes.push({ kind: 'added', name: change.name });
        break;
      case 'added-value':
        assigns.push({
          kind: 'declare',
          file,
          name: change.name,
          code: change.init ? valueExpression(after, change.init, options) : '(undefined)',
          exported: change.exported,
        });
        notes.push({ kind: 'added', name: change.name });
        break;
      case 'value':
        value(change);
        break;
      case 'function':
        bodies.push({
          kind: 'function',
          file,
          id: ids[change.after]!,
          code: functionExpression(after, after.functions[change.after]!, { ...options, replaces: true }),
        });
        notes.push({ kind: 'patched', name: change.name });
        if (closuresChanged(module.outline, change.before, after, change.after))
          notes.push({
            kind: 'kept',
            name: `closures that ${change.name} made before`,
            reason: 'they finish with the body they were made with; new ones get the new body',
          });
        break;
      case 'member': {
        const info = after.functions[change.after]!;
        bodies.push({
          kind: 'function',
          file,
          id: ids[change.after]!,
          code: memberExpression(after, info, { ...options, replaces: true }),
          owner: { path: change.className, isStatic: info.isStatic },
        });
        notes.push({ kind: 'patched', name: change.name });
        break;
      }
      case 'added-member': {
        const info = after.functions[change.after]!;
        const member = info.kind === 'getter' || info.kind === 'setter' ? info.kind : 'method';
        bodies.push({
          kind: 'member',
          file,
          path: change.className,
          isStatic: info.isStatic,
          key: info.name,
          member,
          code: homeExpression(after, info, options),
        });
        notes.push({ kind: 'added', name: change.name });
        break;
      }
      default:
        remark(change, notes);
    }
  }
  return { file, steps: [...steps, ...assigns, ...bodies], notes, next: { file, outline: after, ids, nextId, late } };

  function value(change: Extract<Change, { kind: 'value' }>): void {
    if (!change.constant) {
      notes.push({ kind: 'kept', name: change.name, reason: 'a variable keeps its live value' });
      return;
    }
    const code = change.init ? valueExpression(after, change.init, options) : '(undefined)';
    if (module.late.has(change.name)) steps.push({ kind: 'declare', file, name: change.name, code, exported: false });
    else
      assigns.push({
        kind: 'assign',
        file,
        name: change.name,
        code: `(()=>{const before=${change.name};${change.name}=${code.replace(/\/\/# sourceURL.*$/, '')};return ()=>{${change.name}=before}})()`,
      });
    notes.push({ kind: 'assigned', name: change.name });
  }
}

function remark(change: Change, notes: PlanNote[]): void {
  switch (change.kind) {
    case 'removed':
      notes.push({ kind: 'removed', name: change.name, reason: 'it stays for whoever holds it' });
      break;
    case 'class-shape':
      notes.push({ kind: 'cannot', name: change.name, reason: `${change.what} changed: objects that exist keep theirs, and so do new ones until a restart` });
      break;
    case 'statement':
      if (change.added)
        notes.push({ kind: 'waits', name: `line ${change.line}: ${change.text}`, reason: 'a statement is not run by itself in a program that runs' });
      else notes.push({ kind: 'removed', name: change.text, reason: 'what it did before stays done' });
      break;
    case 'import':
      notes.push({ kind: 'cannot', name: `import ${change.text}`, reason: 'a new import needs a restart' });
      break;
    case 'cannot':
      notes.push({ kind: 'cannot', name: change.name, reason: change.reason });
      break;
  }
}

/** Whether functions inside a changed function changed: those made before live on in their old form. */
function closuresChanged(before: Outline, oldIndex: number, after: Outline, newIndex: number): boolean {
  const inner = (outline: Outline, root: number): string[] =>
    outline.functions.filter((info) => info.parent === root).map((info) => outline.parsed.text.slice(info.start, info.end));
  const old = inner(before, oldIndex);
  const now = inner(after, newIndex);
  return old.length > 0 && now.some((text, index) => old[index] !== undefined && old[index] !== text);
}

/** A plan in one line: `fill, drain patched · ramp added · 1 statement waits`. */
export function planText(plan: Plan): string {
  const names = (kind: PlanNote['kind']): string[] => plan.notes.filter((note) => note.kind === kind).map((note) => note.name);
  const parts: string[] = [];
  const list = (kind: PlanNote['kind'], verb: string): void => {
    const found = names(kind);
    if (found.length > 0) parts.push(`${found.slice(0, 6).join(', ')}${found.length > 6 ? ` and ${found.length - 6} more` : ''} ${verb}`);
  };
  list('patched', 'patched');
  list('added', 'added');
  list('assigned', 'assigned');
  list('kept', 'kept');
  list('removed', 'removed');
  const waits = names('waits').length;
  if (waits > 0) parts.push(waits === 1 ? '1 statement waits' : `${waits} statements wait`);
  const cannot = names('cannot').length;
  if (cannot > 0) parts.push(`${cannot} could not be done`);
  return parts.length > 0 ? parts.join(' · ') : 'nothing to do';
}
