/** Parsers and translators as they are had in Node. */
import { createRequire } from 'node:module';
import type { Language } from '../../session/host.js';
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
    if (typescript) return recoverProblems(typescript, file, text, first);
    return loadTypeScript().then((loaded) => recoverProblems(loaded, file, text, first));
  },
};
