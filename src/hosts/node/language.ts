/** Parsers and translators as they are had in Node. */
import { createRequire } from 'node:module';
import type { Language } from '../../session/host.js';
import { isTooDeep } from '../../syntax/depth.js';
import type { Problem } from '../../syntax/problems.js';
import { recoverProblems } from '../../syntax/recover.js';
import { nodeTranslator } from './translate.js';

type TypeScript = typeof import('typescript');

const require = createRequire(import.meta.url);
let typescript: TypeScript | undefined;
let loading: Promise<TypeScript> | undefined;

/** Loads the recovering parser. It is large, so nobody waits for it who has no syntax error. */
export function loadTypeScript(): Promise<TypeScript> {
  loading ??= new Promise((resolve) => {
    setImmediate(() => {
      typescript = require('typescript') as TypeScript;
      resolve(typescript);
    });
  });
  return loading;
}

export const nodeLanguage: Language = {
  translator: nodeTranslator,
  recover(file, text, first): Problem[] | Promise<Problem[]> {
    if (typescript) return recovered(typescript, file, text, first);
    return loadTypeScript().then((loaded) => recovered(loaded, file, text, first));
  },
};

/** What is nested too deep for the second parser has the problems that the first one found. */
function recovered(parser: TypeScript, file: string, text: string, first: readonly Problem[]): Problem[] {
  try {
    return recoverProblems(parser, file, text, first);
  } catch (error) {
    if (!isTooDeep(error)) throw error;
    return [...first];
  }
}
