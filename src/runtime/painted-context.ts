/** A 2D context that paints on a real canvas, and records what can be recorded of it. */
import type { DrawingContext } from './drawing.js';
import * as own from './originals.js';

/** A context of a canvas. */
export type RealContext = Record<string, unknown>;

/** They draw nothing, so that nothing is to be recorded. */
const READS = own.safeSet([
  'getImageData',
  'createImageData',
  'isPointInPath',
  'isPointInStroke',
  'measureText',
  'getTransform',
  'getLineDash',
  'getContextAttributes',
  'isContextLost',
]);
const GRADIENTS = own.safeSet(['createLinearGradient', 'createRadialGradient', 'createConicGradient']);

interface RecordedGradient {
  gradient: number;
  addColorStop(at: number, colour: string): void;
}

/**
 * @param lost called when something is painted that the recorder cannot hold: images, patterns, pixels, `Path2D`
 * @returns what the pad draws with
 */
export function paintedContext(real: RealContext, recorder: DrawingContext, lost: () => void): object {
  const gradients = own.safeWeakMap<object, object>();
  const realOf = (value: unknown): unknown =>
    typeof value === 'object' && value !== null ? (gradients.get(value) ?? value) : value;
  const record = (work: () => void): void => {
    try {
      work();
    } catch {
      lost();
    }
  };
  const gradient = (name: string, args: unknown[]): object => {
    const painted = own.apply(real[name] as () => RecordedGradient, real, args);
    const recorded = own.apply(recorder[name] as () => RecordedGradient, recorder, args);
    const both = {
      gradient: recorded.gradient,
      addColorStop(at: number, colour: string): void {
        painted.addColorStop(at, colour);
        recorded.addColorStop(at, colour);
      },
    };
    gradients.set(both, painted);
    return both;
  };
  const method = (name: string): ((...args: unknown[]) => unknown) => {
    if (GRADIENTS.has(name)) return (...args) => gradient(name, args);
    return (...args) => {
      const given: unknown[] = [];
      for (let i = 0; i < args.length; i++) own.append(given, realOf(args[i]));
      const result = own.apply(real[name] as () => unknown, real, given);
      const recorded = recorder[name];
      if (!READS.has(name))
        record(() => {
          if (typeof recorded !== 'function') throw new own.TypeErrorCopy(name);
          own.apply(recorded as () => unknown, recorder, args);
        });
      return result;
    };
  };
  const methods = own.safeMap<string, unknown>();
  return new own.ProxyCopy(real, {
    get(_real, key) {
      const value = real[key as string];
      if (typeof value !== 'function' || typeof key !== 'string') return value;
      let made = methods.get(key);
      if (made === undefined) methods.set(key, (made = method(key)));
      return made;
    },
    set(_real, key, value: unknown) {
      real[key as string] = realOf(value);
      record(() => {
        if (typeof key !== 'string' || !(key in recorder)) throw new own.TypeErrorCopy('not recorded');
        recorder[key] = value;
      });
      return true;
    },
  });
}
