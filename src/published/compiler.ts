/** Entry of a script of its own: what types decide, translated in the page. Enums, parameter properties, namespaces, elements. */
import { transform, type Options } from 'sucrase';
import type { Compile } from '../hosts/alone/index.js';
import { AnvilError } from '../syntax/problems.js';

const compile: Compile = (code, { jsx, typescript, tsx, file, settings }) => {
  if (/(?:^|[\s;}])@[\w$]/.test(code) && settings?.experimentalDecorators !== true)
    // The transform would leave them as they are, and no browser runs them yet.
    refuseDecorators(code);
  const options: Options = {
    transforms: [...(typescript ? (['typescript'] as const) : []), ...(tsx || !typescript ? (['jsx'] as const) : [])],
    filePath: file,
    disableESTransforms: true,
    keepUnusedImports: true,
    preserveDynamicImport: true,
    sourceMapOptions: { compiledFilename: file },
    ...('source' in jsx
      ? { jsxRuntime: 'automatic', jsxImportSource: jsx.source, production: !jsx.development }
      : { jsxRuntime: 'classic', jsxPragma: jsx.factory, jsxFragmentPragma: jsx.fragment }),
  };
  try {
    const { code: made, sourceMap } = transform(code, options);
    return { code: made, map: JSON.stringify(sourceMap) };
  } catch (cause) {
    throw new AnvilError(
      'E_TRANSLATE',
      `The file holds syntax that could not be translated: ${String((cause as Error).message).split('\n')[0]}`,
      { cause },
    );
  }
};

function refuseDecorators(code: string): void {
  if (/^\s*@[\w$.]+(?:\([^)]*\))?\s*(?:export\s+)?(?:default\s+)?(?:abstract\s+)?class\b|^\s+@[\w$.]+/m.test(code))
    throw new AnvilError(
      'E_TRANSLATE',
      'Decorators need a compiler that this page has not. Open the pad with usher-anvil open.',
    );
}

(globalThis as { usherAnvilCompiler?: Compile }).usherAnvilCompiler = compile;
