/** In place of `node:module`. */
export { isNodeModule as isBuiltin } from '../../hosts/alone/index.js';
