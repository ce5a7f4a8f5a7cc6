/**
 * `usher-anvil/pad`: what a pad shows on purpose. Inside a target the runtime
 * takes this module's place; a program that runs without one shows nothing,
 * and its drawing code is not called.
 */
import type { DrawingContext } from '../../runtime/drawing.js';
import type { PaintOptions, Pixel } from '../../runtime/exhibits.js';

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
export function draw(width: number, height: number, paint: (context: DrawingContext & CanvasLike) => void, title?: string): void {
  void [width, height, paint, title];
}

/**
 * Shows a picture made by a function per pixel: coarse at once, then finer.
 *
 * @param colour called with the pixel's column and row; gives a CSS colour, `[red, green, blue]`, or a number that takes its place on a scale of colours
 * @throws RangeError for a size that is no whole number above 0, or more than four million pixels
 */
export function paint(width: number, height: number, colour: (x: number, y: number) => Pixel, options: PaintOptions = {}): void {
  void [width, height, colour, options];
}

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
export type { PaintOptions, Pixel } from '../../runtime/exhibits.js';
