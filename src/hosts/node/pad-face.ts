/**
 * `usher-anvil/pad`: what a pad shows on purpose. Inside a target the runtime
 * takes this module's place; a program that runs without one shows nothing,
 * and its drawing code is not called.
 */
import type { DrawingContext } from '../../runtime/drawing.js';
import type { Colouring, PaintOptions } from '../../runtime/painting.js';

/** Shows a value in the view that fits it. Gives the value back. */
export function show<T>(value: T, title?: string): T {
  void title;
  return value;
}

/**
 * Shows numbers as curves: a list of numbers, a list of pairs `[x, y]`, a list
 * of records with numbers, or an object of named lists. Gives the data back.
 */
export function plot<T>(data: T, title?: string): T {
  void title;
  return data;
}

/** Shows a list of records as a table. Gives the list back. */
export function table<T>(rows: T, title?: string): T {
  void title;
  return rows;
}

/**
 * Shows a drawing, redrawn at each edit.
 *
 * @param width pixels, as `height`
 * @param paint draws with a 2D context that records its calls; see `docs/pad.md` for what is not covered
 * @throws RangeError for a size that is no whole number above 0
 */
export function draw(
  width: number,
  height: number,
  paint: (context: DrawingContext & CanvasLike) => void,
  title?: string,
): void {
  void [width, height, paint, title];
}

/**
 * Shows a picture made by a function per pixel: coarse at once, then finer. Several functions are several passes, of
 * which each reads by `before(x, y)` what the one before has made.
 *
 * @param colour called with the pixel's column and row, and with `{ before, inputs, time, frame }`; gives a CSS colour,
 * `[red, green, blue]`, or a number that takes its place on a scale of colours
 * @throws RangeError for a size that is no whole number above 0, or more than four million pixels; TypeError where
 * `colour` is neither a function nor a list of them
 */
export function paint(
  width: number,
  height: number,
  colour: Colouring | Colouring[],
  options: PaintOptions = {},
): void {
  void [width, height, colour, options];
}

/** What ways of a comparison are called with besides. */
export interface CompareOptions<Input> {
  /** Further inputs, for which all are asked for the same. */
  inputs?: readonly Input[];
  /** Makes an input from numbers between 0 and 1: thousands of them are tried, and what differs is made small. */
  generate?: (random: () => number) => Input;
  /** Makes an input of a size: times are taken at growing sizes. */
  sized?: (size: number) => Input;
}

/**
 * Compares ways to do something: whether all give what the first gives, and which is faster, as plain code in processes
 * of their own. It stands at the top level of a pad, with its ways written there.
 *
 * @param ways functions of one argument, by their names; the first is the one that the others are compared with
 * @param data what they are called with, or a function that makes it, fresh for each call
 * @throws TypeError for fewer than two functions
 */
export function compare<Input>(
  ways: Readonly<Record<string, (input: Input) => unknown>>,
  data?: Input | (() => Input),
  options: CompareOptions<Input> = {},
): void {
  void [ways, data, options];
}

/** How a dial is drawn, and what it may be set to. */
export type DialShape =
  | { min: number; max: number; step?: number }
  | readonly (string | number | boolean)[]
  | 'colour'
  | 'text'
  | 'switch'
  | 'number';

/**
 * A named input that a person turns while the pad runs. Gives the value it is
 * turned to; its first value where nobody has turned it, or no target runs it.
 *
 * @param initial its first value, which decides how it is drawn where `shape` is absent
 * @throws RangeError for a shape that cannot be, or a first value outside of it
 */
export function dial(
  name: string,
  initial: number,
  shape?: { min: number; max: number; step?: number } | 'number',
): number;
export function dial(name: string, initial: boolean, shape?: 'switch'): boolean;
export function dial(name: string, initial: string, shape?: 'colour' | 'text'): string;
export function dial<T extends string | number | boolean>(name: string, initial: T, choices: readonly T[]): T;
export function dial<T extends string | number | boolean>(name: string, initial: T, shape?: DialShape): T {
  void [name, shape];
  return initial;
}

/**
 * A named effect that happens only when a person says so: by its button, by
 * `--open <name>`, or not at all. What stands before it stays live at each edit.
 *
 * @returns what the effect gives, once the gate was opened; until then it waits
 */
export function gate<T>(name: string, effect: () => T | Promise<T>): Promise<T> {
  void [name, effect];
  return new Promise(() => undefined);
}

/** The data a pad works on: from `--input`, standard input, the workbench, or a mark `//~ from: file`. */
export interface PadInput {
  /** As a person calls it. */
  readonly name: string;
  /** Bytes in all. */
  readonly size: number;
  readonly bytes: Uint8Array;
  /** Decoded from UTF-8, without a byte order mark. */
  readonly text: string;
  /** Split at `\n` and `\r\n`; a line end at the end begins no further line. */
  readonly lines: string[];
  json(): unknown;
  /**
   * Rows of comma-separated values: objects named by the first line, or lists with `header: false`. The separator is
   * found out where it is absent.
   */
  csv(options?: { separator?: string; header?: true; numbers?: boolean }): Record<string, string>[];
  csv(options: { separator?: string; header: false; numbers?: boolean }): string[][];
}

const nothing = (): never => {
  throw Object.assign(new Error('input is there while usher-anvil runs the pad'), { code: 'E_NO_INPUT' });
};

/**
 * The data this pad works on. Reading it throws an error with the code `E_NO_INPUT` where there is none, `E_INPUT`
 * where it is not what is asked for.
 */
export const input: PadInput = {
  get name(): string {
    return nothing();
  },
  get size(): number {
    return nothing();
  },
  get bytes(): Uint8Array {
    return nothing();
  },
  get text(): string {
    return nothing();
  },
  get lines(): string[] {
    return nothing();
  },
  json: nothing,
  csv: nothing,
};

/** The methods of a 2D context that a recorded drawing covers. */
export interface CanvasLike {
  fillStyle: unknown;
  strokeStyle: unknown;
  lineWidth: number;
  font: string;
  globalAlpha: number;
  beginPath(): void;
  closePath(): void;
  moveTo(x: number, y: number): void;
  lineTo(x: number, y: number): void;
  arc(x: number, y: number, radius: number, from: number, to: number, counterclockwise?: boolean): void;
  rect(x: number, y: number, width: number, height: number): void;
  fill(): void;
  stroke(): void;
  fillRect(x: number, y: number, width: number, height: number): void;
  strokeRect(x: number, y: number, width: number, height: number): void;
  clearRect(x: number, y: number, width: number, height: number): void;
  fillText(text: string, x: number, y: number): void;
  save(): void;
  restore(): void;
  translate(x: number, y: number): void;
  rotate(angle: number): void;
  scale(x: number, y: number): void;
}

export type { DrawingContext } from '../../runtime/drawing.js';
export type { PaintOptions, Pixel } from '../../runtime/painting.js';
