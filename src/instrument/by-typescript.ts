/** Translation by the compiler that the language comes with, which is given from outside: it is large, and seldom needed. */
import type * as TypeScript from 'typescript';
import type { TranslateOptions } from './translator.js';

/** For what depends on more than one place of a file, and wherever no other compiler is. */
export function translateByTypeScript(
  ts: typeof TypeScript,
  code: string,
  { jsx, tsx, settings, typescript }: TranslateOptions,
): { code: string; map: string } {
  const made = ts.transpileModule(code, {
    fileName: typescript ? (tsx ? 'code.tsx' : 'code.ts') : 'code.jsx',
    compilerOptions: {
      target: ts.ScriptTarget.ES2022,
      module: ts.ModuleKind.ESNext,
      moduleDetection: ts.ModuleDetectionKind.Legacy,
      alwaysStrict: false,
      sourceMap: true,
      experimentalDecorators: settings?.experimentalDecorators ?? false,
      emitDecoratorMetadata: settings?.emitDecoratorMetadata ?? false,
      useDefineForClassFields: settings?.useDefineForClassFields ?? true,
      ...('source' in jsx
        ? { jsx: jsx.development ? ts.JsxEmit.ReactJSXDev : ts.JsxEmit.ReactJSX, jsxImportSource: jsx.source }
        : { jsx: ts.JsxEmit.React, jsxFactory: jsx.factory, jsxFragmentFactory: jsx.fragment }),
    },
  });
  return {
    code: made.outputText.replace(/\n\/\/# sourceMappingURL=.*$/, ''),
    map: made.sourceMapText ?? '{"version":3,"sources":[],"names":[],"mappings":""}',
  };
}
