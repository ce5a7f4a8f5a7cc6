/** Globals of Node, in bundles of packages that are written for it. */
import { Buffer } from 'buffer/';
// @ts-expect-error The package has no types.
import process from 'process/browser.js';

const later = (callback: (...args: unknown[]) => void, ...args: unknown[]): unknown => setTimeout(callback, 0, ...args);
const setImmediateHere = (globalThis as { setImmediate?: typeof later }).setImmediate ?? later;
const clearImmediateHere = (globalThis as { clearImmediate?: (handle: never) => void }).clearImmediate ?? clearTimeout;

export { Buffer, process, setImmediateHere as setImmediate, clearImmediateHere as clearImmediate };
