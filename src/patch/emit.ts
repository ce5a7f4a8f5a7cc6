/** From decisions and slots to steps: the code of each is compiled here. */
import {
  declarationExpression,
  fieldsExpression,
  functionExpression,
  homeExpression,
  constructorExpression,
  memberExpression,
  objectMemberExpression,
  propertiesExpression,
  statementExpression,
  valueExpression,
  type PartOptions,
} from '../instrument/part.js';
import { seesItself } from '../instrument/own-name.js';
import { usesNewTarget } from '../instrument/passed-on.js';
import type { Hook } from '../instrument/points.js';
import { slotText } from '../instrument/slots.js';
import type { Translator } from '../instrument/translator.js';
import { classAround, type FunctionInfo } from '../syntax/outline.js';
import type { Change } from './change.js';
import type { ConstructorWork, Decisions, FieldsWork, Source, Work } from './decisions.js';
import type { LateNames } from './late-names.js';
import { rootsOf, type Generation } from './live-module.js';
import { obstacle } from './obstacles.js';
import { textOf } from './shapes.js';
import type { SlotAllocation } from './slots.js';
import type { FieldStep, Step } from '../wire/steps.js';
import { nameOf } from './wording.js';

/** A statement that a save brought and that was not run. */
export interface Waiting {
  line: number;
  text: string;
  code: string;
}

/** What code is compiled with. */
export interface Emission {
  change: Change;
  names: LateNames;
  slots: SlotAllocation;
  translator: Translator;
  /** The code reports, as {@link PartOptions.observe}. */
  observe?: PartOptions['observe'];
}

/** Steps by when they are taken, and what waits. */
export interface Emitted {
  /** Links, names, functions that others call while values are computed. */
  first: Step[];
  bodies: Step[];
  values: Step[];
  last: Step[];
  waiting: Waiting[];
  /** By name: what sets a kept one anew. */
  resets: Map<string, Step>;
}

/** Works in the order in which their code runs: by where they stand in the text. */
export function inTextOrder(works: readonly Work[]): Work[] {
  return works.filter((work) => 'at' in work).sort((a, b) => (a as { at: number }).at - (b as { at: number }).at);
}

/** @param inOrder of {@link inTextOrder} */
export function emit(emission: Emission, decisions: Decisions, inOrder: readonly Work[]): Emitted {
  const out: Emitted = { first: [], bodies: [], values: [], last: [], waiting: [], resets: new Map() };
  for (const work of decisions.works) emitAnnouncement(emission, work, out);
  for (const work of inOrder) emitWork(emission, work, out);
  for (const index of decisions.bodies.patched) out.bodies.push(...functionSteps(emission, index));
  const texts = textsStep(emission);
  // Where nothing else is done, nobody waits for it either.
  if (texts && out.first.length + out.bodies.length + out.values.length + out.last.length > 0) out.first.push(texts);
  return out;
}

/** What needs no code of the module: links and names before everything, exports behind it. */
function emitAnnouncement({ change: { file, prefix } }: Emission, work: Work, out: Emitted): void {
  switch (work.kind) {
    case 'link': {
      const { specifier, attributes, names } = work.entry;
      out.first.push({
        kind: 'link',
        file,
        name: work.key,
        specifier,
        attributes,
        names: names.map((name) => name.imported),
      });
      break;
    }
    case 'symbol':
      out.first.push({ kind: 'symbol', file, name: work.name });
      break;
    case 'alias':
      out.first.push({ kind: 'alias', file, name: work.key, code: work.access });
      break;
    case 'export':
      out.last.push({ kind: 'export', file, name: work.exported, code: `(()=>${work.place})` });
      break;
    case 'defaultExport':
      if (work.first)
        out.last.push({ kind: 'export', file, name: 'default', code: `(()=>${prefix}m.late["default export"])` });
      break;
  }
}

function emitWork(emission: Emission, work: Work, out: Emitted): void {
  const { change, names } = emission;
  const { file, after } = change;
  switch (work.kind) {
    case 'declare':
      (work.early ? out.first : out.values).push({
        kind: 'declare',
        file,
        name: work.key,
        code: codeOf(emission, work.source),
      });
      break;
    case 'assign':
      out.values.push({
        kind: 'value',
        file,
        name: work.name,
        access: names.accessTo(work.name),
        how: work.how,
        code: codeOf(emission, work.source),
      });
      break;
    case 'properties': {
      const at = work.places.map(({ path, remove, set }) => ({
        path,
        ...(remove.length > 0 ? { remove } : {}),
        ...(set.length > 0 ? { code: propertiesExpression(after, set, optionsOf(emission)) } : {}),
      }));
      out.values.push({
        kind: 'value',
        file,
        name: work.name,
        access: names.accessTo(work.name),
        how: 'properties',
        code: '(undefined)',
        at,
      });
      break;
    }
    case 'enum': {
      const code = codeOf(emission, { of: 'declaration', node: work.node, names: [work.name], name: work.name });
      const at = [{ path: [], code, remove: ['*'] }];
      out.values.push({
        kind: 'value',
        file,
        name: work.name,
        access: names.accessTo(work.name),
        how: 'properties',
        code: '(undefined)',
        at,
      });
      break;
    }
    case 'reset': {
      const code = codeOf(emission, { of: 'value', node: work.node, name: work.name });
      out.resets.set(work.name, {
        kind: 'value',
        file,
        name: work.name,
        access: names.accessTo(work.name),
        how: 'assign',
        code,
      });
      break;
    }
    case 'pattern':
      out.values.push(...patternSteps(emission, work));
      break;
    case 'defaultExport':
      out.values.push(defaultExportStep(emission, work));
      break;
    case 'run':
      out.values.push({
        kind: 'run',
        file,
        name: work.name,
        code: statementExpression(after, work.node, optionsOf(emission)),
      });
      break;
    case 'wait':
      out.waiting.push({
        line: work.line,
        text: work.text,
        code: statementExpression(after, work.node, optionsOf(emission)),
      });
      break;
    default:
      emitClassWork(emission, work, out);
  }
}

/** What becomes of a class that lives. */
function emitClassWork(emission: Emission, work: Work, out: Emitted): void {
  const { file, after } = emission.change;
  switch (work.kind) {
    case 'member': {
      const { name, owner, info, symbol } = work;
      const code = homeExpression(after, info, optionsOf(emission));
      out.bodies.push({
        kind: 'member',
        file,
        name,
        owner,
        isStatic: info.isStatic,
        code,
        ...(symbol === undefined ? {} : { symbol }),
      });
      break;
    }
    case 'fields':
      out.values.push(fieldsStep(emission, work));
      break;
    case 'parent':
      out.values.push({
        kind: 'parent',
        file,
        name: work.name,
        owner: work.owner,
        code: valueExpression(after, work.node, optionsOf(emission)),
      });
      break;
    case 'constructor':
      out.bodies.push(constructorStep(emission, work));
      break;
  }
}

export function optionsOf({ names, slots, translator, observe }: Emission): PartOptions {
  return {
    translator,
    slots,
    late: names.keys,
    places: names.places,
    lateMembers: names.members,
    ...(observe ? { observe } : {}),
  };
}

function codeOf(emission: Emission, source: Source): string {
  const { after } = emission.change;
  const options = optionsOf(emission);
  switch (source.of) {
    case 'function':
      return functionExpression(after, after.functions[source.index]!, options, 'new');
    case 'value':
      return valueExpression(after, source.node, options, source.name);
    case 'declaration':
      return declarationExpression(after, source.node, source.names, withoutLate(options, source.names), source.name);
    case 'nothing':
      return '(undefined)';
  }
}

/** Names that a declaration binds itself mean its own. */
function withoutLate(options: PartOptions, names: readonly string[]): PartOptions {
  return { ...options, late: new Map([...options.late].filter(([name]) => !names.includes(name))) };
}

function patternSteps(emission: Emission, work: Work & { kind: 'pattern' }): Step[] {
  const { change, names } = emission;
  const { file } = change;
  const steps: Step[] = [
    {
      kind: 'declare',
      file,
      name: work.key,
      code: codeOf(emission, { of: 'declaration', node: work.node, names: work.names }),
    },
  ];
  for (const name of work.names) {
    const code = `(${names.late(work.key)}[${JSON.stringify(name)}])`;
    const late = names.keys.get(name);
    if (late !== undefined) steps.push({ kind: 'declare', file, name: late, code });
    else steps.push({ kind: 'value', file, name, access: names.accessTo(name), how: 'assign', code });
  }
  return steps;
}

function defaultExportStep(emission: Emission, { node, first }: Work & { kind: 'defaultExport' }): Step {
  const { file, prefix } = emission.change;
  const code = codeOf(emission, { of: 'value', node, name: 'default' });
  if (first) return { kind: 'declare', file, name: 'default export', code };
  const access = `({get:()=>${prefix}z,set:(${prefix}v)=>{${prefix}z=${prefix}v}})`;
  return { kind: 'value', file, name: 'default export', access, how: 'assign', code };
}

function fieldsStep(emission: Emission, { name, owner, isStatic, classNode, removed, set }: FieldsWork): Step {
  const { file, after, module } = emission.change;
  const fields: FieldStep[] = removed.map((key) => ({ key, removed: true }));
  for (const { key, fresh, symbol } of set) {
    const field: FieldStep = { key };
    if (symbol !== undefined) field.symbol = symbol;
    else if (key.startsWith('#')) field.sets = true;
    if (fresh) field.fresh = true;
    fields.push(field);
  }
  const parts = set.map(({ key, node }) => ({ key, node, name: key }));
  const code = fieldsExpression(after, parts, classNode, optionsOf(emission));
  return { kind: 'fields', file, name, owner, isStatic, code, fields, roots: [rootsOf(module)] };
}

/** The later version of a constructor. */
export function constructorStep(
  emission: Emission,
  { name, owner, live, info }: Omit<ConstructorWork, 'kind' | 'at'>,
): Step {
  const { file, after, prefix, module } = emission.change;
  const options = optionsOf(emission);
  let code: string;
  if (!live.derived) code = info ? memberExpression(after, info, options) : '({home:{},pick:()=>function(){}})';
  else if (info) code = constructorExpression(after, info, options);
  else {
    const slot = slotText(prefix, owner, module);
    code = `((...${prefix}r)=>{super(...${prefix}r),${slot}!==undefined&&${slot}.call(this)})`;
  }
  const home = live.derived ? { ofConstructor: true } : { home: 'instance' as const };
  return { kind: 'function', file, name, slot: live.constructorSlot, code, each: false, self: false, owner, ...home };
}

/** Hooks that each scope, class or instance has anew. */
const EACH: ReadonlySet<Hook> = new Set(['scope', 'whole', 'inner', 'field']);

/** The later version of a function, for each of its generations that can take it. */
export function functionSteps(emission: Emission, index: number): Step[] {
  const { change, slots } = emission;
  const { after, continuity, file } = change;
  const info = after.functions[index]!;
  const codes = new Map<string, string>();
  const steps: Step[] = [];
  for (const generation of continuity.functions[index]!.generations) {
    if (obstacle(change, index, generation) !== undefined) continue;
    const scoped = generation.hook === 'scope';
    const form = `${generation.form}${scoped ? ' scoped' : ''}`;
    const code = codes.get(form) ?? bodyOf(emission, info, generation);
    codes.set(form, code);
    const owner =
      generation.hook !== 'class' && !scoped ? -1 : info.owner >= 0 ? info.owner : classAround(after, info.node);
    const classSlot =
      owner < 0 || (scoped && change.points.classes[owner]!.hook !== 'class') ? undefined : slots.classes[owner];
    steps.push({
      kind: 'function',
      file,
      name: nameOf(after, info),
      slot: generation.slot,
      code,
      each: EACH.has(generation.hook) || generation.self,
      ...(scoped ? { scoped } : {}),
      ...(info.kind === 'function' && usesNewTarget(info.node) ? { newTarget: true } : {}),
      self: info.owner < 0 && seesItself(info.node),
      ...(classSlot === undefined ? {} : { owner: classSlot }),
      ...(info.owner >= 0 ? { home: info.isStatic ? ('static' as const) : ('instance' as const) } : {}),
    });
  }
  return steps;
}

function bodyOf(emission: Emission, info: FunctionInfo, generation: Generation): string {
  const { after } = emission.change;
  const options = { ...optionsOf(emission), scoped: generation.hook === 'scope' };
  if (info.owner >= 0) return memberExpression(after, info, options);
  if (info.kind === 'method' || info.kind === 'getter' || info.kind === 'setter')
    return objectMemberExpression(after, info, options);
  return functionExpression(after, info, options, generation.form === 'bound' ? 'bound' : 'later');
}

/** What functions show as their source from now on: those with another text, or another slot. */
function textsStep({ change, slots }: Emission): Step | undefined {
  const texts: [number, string][] = [];
  change.after.functions.forEach((info, index) => {
    const old = change.continuity.functions[index];
    const text = textOf(change.after, info.node);
    const same = old !== undefined && textOf(old.outline, old.outline.functions[old.index]!.node) === text;
    for (const { slot } of slots.generations[index]!)
      if (!same || !old.generations.some((one) => one.slot === slot)) texts.push([slot, text]);
  });
  return texts.length > 0 ? { kind: 'texts', file: change.file, name: '', texts } : undefined;
}
