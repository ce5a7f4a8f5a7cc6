/** Type removal in Node: a WebAssembly eraser that keeps every position, and compilers for what cannot be erased. */
import { createRequire } from 'node:module';
import type * as TypeScript from 'typescript';
import { translateByTypeScript } from '../../instrument/by-typescript.js';
import type { TranslateOptions, Translator } from '../../instrument/translator.js';
import { AnvilError } from '../../syntax/problems.js';

const require = createRequire(import.meta.url);
let eraser: typeof import('@swc/wasm-typescript') | undefined;
let compiler: typeof import('@swc/core') | undefined;

export const nodeTranslator: Translator = {
  erase(text, goal) {
    eraser ??= require('@swc/wasm-typescript') as typeof import('@swc/wasm-typescript');
    try {
      const { code } = eraser.transformSync(text, {
        mode: 'strip-only',
        module: goal === 'module',
        deprecatedTsModuleAsError: false,
      } as never);
      return code.length === text.length ? code : null;
    } catch {
      return null;
    }
  },

  translate(code, options) {
    try {
      if (!options.compiler) return bySwc(code, options);
      return translateByTypeScript(require('typescript') as typeof TypeScript, code, options);
    } catch (error) {
      throw new AnvilError(
        'E_TRANSLATE',
        `The file holds syntax that could not be translated: ${String((error as Error).message).split('\n')[0]}`,
        {
          cause: error,
        },
      );
    }
  },
};

function bySwc(
  code: string,
  { goal, jsx, typescript, tsx, settings, file }: TranslateOptions,
): { code: string; map: string } {
  compiler ??= require('@swc/core') as typeof import('@swc/core');
  const swc = compiler;
  const legacy = settings?.experimentalDecorators === true;
  const react =
    'source' in jsx
      ? { runtime: 'automatic', importSource: jsx.source, development: jsx.development, throwIfNamespace: false }
      : { runtime: 'classic', pragma: jsx.factory, pragmaFrag: jsx.fragment, throwIfNamespace: false };
  const attempt = (isModule: boolean): { code: string; map: string } => {
    const result = swc.transformSync(code, {
      configFile: false,
      swcrc: false,
      isModule,
      sourceMaps: true,
      filename: file,
      jsc: {
        target: 'es2022',
        keepClassNames: true,
        parser: typescript
          ? { syntax: 'typescript', tsx, decorators: true }
          : {
              syntax: 'ecmascript',
              jsx: true,
              decorators: true,
              decoratorsBeforeExport: true,
              explicitResourceManagement: true,
            },
        transform: {
          ...(legacy
            ? { legacyDecorator: true, decoratorMetadata: settings.emitDecoratorMetadata }
            : { decoratorVersion: '2023-11' }),
          useDefineForClassFields: settings?.useDefineForClassFields ?? true,
          verbatimModuleSyntax: settings?.verbatimModuleSyntax ?? false,
          react,
        },
      },
    } as never);
    // The compiler numbers the name of this helper where it is declared and not where it is used.
    const named = result.code.includes('_SuppressedError')
      ? result.code.replace(/\b_SuppressedError\d+\b/g, '_SuppressedError')
      : result.code;
    return { code: named, map: result.map ?? '{"version":3,"sources":[],"names":[],"mappings":""}' };
  };
  try {
    // Decorated classes lose their name when the compiler takes the text for a script.
    return attempt(true);
  } catch (error) {
    if (goal === 'module') throw error;
    return attempt(false);
  }
}
