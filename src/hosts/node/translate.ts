/** Type removal in Node: a WebAssembly eraser that keeps every position, and the full compiler for what cannot be erased. */
import { createRequire } from 'node:module';
import type { Translator } from '../../instrument/compile.js';
import { AnvilError } from '../../syntax/problems.js';

const require = createRequire(import.meta.url);
let eraser: typeof import('@swc/wasm-typescript') | undefined;
let compiler: typeof import('@swc/core') | undefined;

/** Loads the libraries ahead of their first use. */
export function warmTranslator(): void {
  nodeTranslator.erase('const warm: number = 1', 'script');
}

export const nodeTranslator: Translator = {
  erase(text, goal) {
    eraser ??= require('@swc/wasm-typescript') as typeof import('@swc/wasm-typescript');
    try {
      const { code } = eraser.transformSync(text, { mode: 'strip-only', module: goal === 'module', deprecatedTsModuleAsError: false } as never);
      return code.length === text.length ? code : null;
    } catch {
      return null;
    }
  },

  translate(code, { goal, jsx, typescript, tsx }) {
    compiler ??= require('@swc/core') as typeof import('@swc/core');
    const swc = compiler;
    const attempt = (isModule: boolean): { code: string; map: string } => {
      const result = swc.transformSync(code, {
        configFile: false,
        swcrc: false,
        isModule,
        sourceMaps: true,
        jsc: {
          target: 'es2022',
          keepClassNames: true,
          parser: typescript
            ? { syntax: 'typescript', tsx, decorators: true }
            : { syntax: 'ecmascript', jsx: true, decorators: true, decoratorsBeforeExport: true, explicitResourceManagement: true },
          transform: {
            decoratorVersion: '2023-11',
            useDefineForClassFields: true,
            react: { runtime: 'classic', pragma: `${jsx}.createElement`, pragmaFrag: `${jsx}.Fragment`, throwIfNamespace: false },
          },
        },
      } as never);
      return { code: result.code, map: result.map ?? '{"version":3,"sources":[],"names":[],"mappings":""}' };
    };
    try {
      try {
        // Decorated classes lose their name when the compiler takes the text for a script.
        return attempt(true);
      } catch (error) {
        if (goal === 'module') throw error;
        return attempt(false);
      }
    } catch (error) {
      throw new AnvilError('E_TRANSLATE', `The file holds syntax that could not be translated: ${String((error as Error).message).split('\n')[0]}`, {
        cause: error,
      });
    }
  },
};
