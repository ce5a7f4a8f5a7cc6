/** Steps of a plan, one by one. */
import type { Step } from '../../wire/steps.js';
import * as own from '../originals.js';
import { takeData } from './data.js';
import { takeFields } from './fields.js';
import { takeMember, takeParent } from './members.js';
import { putProperty, putVersion, type ModulePatches, type Undo } from './modules.js';
import { takeValue } from './values.js';
import { versionOf } from './versions.js';

/** Takes one step. @throws what its code throws */
export function takeStep(step: Step, module: ModulePatches): Undo {
  const { evaluate, late } = module;
  if (!evaluate) throw new own.ErrorCopy(`${step.file} is not loaded yet`);
  switch (step.kind) {
    case 'declare':
      return putProperty(late, step.name, {
        value: evaluate(step.code),
        writable: true,
        enumerable: true,
        configurable: true,
      });
    case 'alias': {
      const access = evaluate(step.code) as { get: () => unknown; set: (value: unknown) => void };
      return putProperty(late, step.name, { get: access.get, set: access.set, enumerable: true, configurable: true });
    }
    case 'symbol':
      return putProperty(late, step.name, {
        value: Symbol(step.name),
        writable: true,
        enumerable: true,
        configurable: true,
      });
    case 'link':
      // The host of the target loads it and puts it there before the plan is applied.
      if (!own.getDescriptor(late, step.name)) throw new own.ErrorCopy(`${step.specifier} is not loaded`);
      return () => undefined;
    case 'export': {
      const { namespace } = module;
      if (namespace === undefined) return () => undefined;
      const get = evaluate(step.code) as () => unknown;
      return putProperty(namespace, step.name, {
        get,
        set: () => {
          throw new TypeError('Assignment to constant variable.');
        },
        enumerable: true,
        configurable: true,
      });
    }
    case 'texts': {
      const { texts } = module;
      const before = step.texts.map(([slot]) => texts.get(slot));
      for (const [slot, text] of step.texts) texts.set(slot, text);
      return () =>
        step.texts.forEach(([slot], index) => {
          if (before[index] === undefined) texts.delete(slot);
          else texts.set(slot, before[index]);
        });
    }
    case 'run': {
      evaluate(step.code);
      return () => undefined;
    }
    case 'data':
      return takeData(evaluate(step.code), step.text);
    case 'function':
      return putVersion(module, step.slot, versionOf(step, module, evaluate));
    case 'member':
      return takeMember(step, module);
    case 'parent':
      return takeParent(step, module, evaluate);
    case 'fields':
      return takeFields(step, module);
    case 'value':
      return takeValue(step, evaluate);
  }
}
