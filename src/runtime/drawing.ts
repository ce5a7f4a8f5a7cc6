/**
 * A 2D drawing context that records: a window paints the calls. Covered are
 * paths, rectangles, text, transforms, styles, gradients, clipping and line
 * dashes. Not covered, and refused with a clear error: pixels read back,
 * images, patterns, filters and `Path2D`. `measureText` is an estimate.
 */
import type { DrawCall } from '../wire/reports.js';
import * as own from './originals.js';

const METHODS = [
  'save', 'restore', 'reset', 'beginPath', 'closePath', 'moveTo', 'lineTo', 'bezierCurveTo', 'quadraticCurveTo', 'arc', 'arcTo', 'ellipse', 'rect', 'roundRect',
  'fill', 'stroke', 'clip', 'fillRect', 'strokeRect', 'clearRect', 'fillText', 'strokeText', 'translate', 'rotate', 'scale', 'transform', 'setTransform', 'resetTransform', 'setLineDash',
] as const; // prettier-ignore

/** Properties with the values they have at first. */
const PROPERTIES: Record<string, string | number | boolean> = {
  fillStyle: '#000000',
  strokeStyle: '#000000',
  lineWidth: 1,
  lineCap: 'butt',
  lineJoin: 'miter',
  miterLimit: 10,
  lineDashOffset: 0,
  font: '10px sans-serif',
  textAlign: 'start',
  textBaseline: 'alphabetic',
  direction: 'inherit',
  globalAlpha: 1,
  globalCompositeOperation: 'source-over',
  shadowBlur: 0,
  shadowColor: 'rgba(0, 0, 0, 0)',
  shadowOffsetX: 0,
  shadowOffsetY: 0,
  imageSmoothingEnabled: true,
};

const REFUSED = [
  'getImageData',
  'putImageData',
  'createImageData',
  'drawImage',
  'createPattern',
  'isPointInPath',
  'isPointInStroke',
] as const;
const MOST_CALLS = 100_000;

/** What `draw` hands to the pad: the methods and properties of a 2D context. */
export class DrawingContext {
  [name: string]: unknown;

  constructor(width: number, height: number, calls: DrawCall[]) {
    let gradients = 0;
    let dash: number[] = [];
    const state = own.createObject(null) as Record<string, unknown>;
    const saved: Record<string, unknown>[] = [];
    const add = (call: DrawCall): void => {
      if (calls.length >= MOST_CALLS) throw new own.RangeErrorCopy(`A drawing may have up to ${MOST_CALLS} calls.`);
      own.append(calls, call);
    };
    const plain = (value: unknown, where: string): DrawCall[number] => {
      if (typeof value === 'number' || typeof value === 'string' || typeof value === 'boolean') return value;
      if (value === undefined || value === null) return null;
      if (own.isArray(value)) {
        const list: number[] = [];
        for (let i = 0; i < value.length; i++) own.append(list, own.NumberCopy(value[i]));
        return list;
      }
      const gradient = (value as { gradient?: unknown }).gradient;
      if (typeof gradient === 'number') return { gradient };
      throw new own.TypeErrorCopy(
        `${where} got a value that a recorded drawing cannot hold. Path2D, patterns and images are not covered.`,
      );
    };
    for (const name of METHODS) {
      this[name] = (...args: unknown[]): void => {
        const call: DrawCall = [name];
        for (let i = 0; i < args.length; i++) own.append(call, plain(args[i], name));
        add(call);
        if (name === 'save') own.append(saved, { ...state });
        else if (name === 'restore' && saved.length > 0) {
          const back = saved[saved.length - 1]!;
          saved.length--;
          for (const key of own.keys(PROPERTIES)) state[key] = back[key];
        } else if (name === 'setLineDash') dash = call[1] as number[];
      };
    }
    for (const name of own.keys(PROPERTIES)) {
      state[name] = PROPERTIES[name];
      own.defineProperty(this, name, {
        get: () => state[name],
        set: (value: unknown) => {
          const held = plain(value, name);
          state[name] = value;
          add(['=', name, held]);
        },
        enumerable: true,
      });
    }
    for (const name of REFUSED)
      this[name] = () => {
        throw new own.TypeErrorCopy(
          `${name} is not covered by a recorded drawing. Use paint() for pictures made of pixels.`,
        );
      };
    this.getLineDash = () => dash;
    const gradient = (kind: string, args: number[]): object => {
      const number = gradients++;
      add([kind, number, ...args]);
      return {
        gradient: number,
        addColorStop: (at: number, colour: string) => add(['stop', number, at, own.StringCopy(colour)]),
      };
    };
    this.createLinearGradient = (...args: number[]) => gradient('linear', args);
    this.createRadialGradient = (...args: number[]) => gradient('radial', args);
    this.createConicGradient = (...args: number[]) => gradient('conic', args);
    this.measureText = (text: unknown) => {
      const height = own.NumberCopy(own.exec(/([\d.]+)px/, own.StringCopy(state.font))?.[1] ?? 10);
      return { width: own.StringCopy(text).length * height * 0.55 };
    };
    this.canvas = { width, height };
  }
}
