import { nodeTranslator } from '../dist/hosts/node/translate.js';

/** A module's text without types, for plain node. */
export function stripTypes(text) {
  return nodeTranslator.erase(text, 'module');
}
