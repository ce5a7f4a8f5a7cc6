/** What translates files of a published page: a light compiler, and a whole one that only folders have. */
import type { Compile } from '../hosts/alone/index.js';
import { AnvilError } from '../syntax/problems.js';
import { carriedScript, loadBeside } from './parts.js';

type Name = 'compiler' | 'whole-compiler';

const scope = globalThis as { usherAnvilCompilers?: Partial<Record<Name, Compile>> };

/** Called by the script of each. */
export function putCompiler(name: Name, compile: Compile): void {
  (scope.usherAnvilCompilers ??= {})[name] = compile;
}

/** When which of them was asked for last and did not come. */
const missing = new Map<Name, number>();
/** Milliseconds after which it is asked for once more. */
const PATIENCE_MS = 5_000;

/**
 * @param again called when a compiler has come that was asked for
 * @returns what translates by the light one or the whole one. It throws AnvilError `E_TRANSLATE` for what cannot be
 * translated, where a compiler is on its way, and where it does not come.
 */
export function compileInPage(again: () => void): Compile {
  return (code, options) => {
    const name = options.compiler || options.lowers ? 'whole-compiler' : 'compiler';
    const compile = compilerNamed(name) ?? notYet(name, again);
    try {
      return compile(code, options);
    } catch (cause) {
      throw new AnvilError(
        'E_TRANSLATE',
        `The file holds syntax that could not be translated: ${String((cause as Error).message).split('\n')[0]}`,
        { cause },
      );
    }
  };
}

function compilerNamed(name: Name): Compile | undefined {
  const script = scope.usherAnvilCompilers?.[name] ? undefined : carriedScript(name);
  // A script of this page, which its policy lets no other be.
  if (script !== undefined) (0, eval)(script);
  return scope.usherAnvilCompilers?.[name];
}

function notYet(name: Name, again: () => void): never {
  if (Date.now() - (missing.get(name) ?? -Infinity) < PATIENCE_MS)
    throw new AnvilError(
      'E_TRANSLATE',
      name === 'compiler'
        ? 'What translates this file could not be loaded. Run it once more when the page can be reached again.'
        : 'Decorators, namespaces, accessors, using and fields that are assigned need a compiler that lies beside the pages of a folder, and it could not be loaded. Publish the pad with --folder, or open it with usher-anvil open.',
    );
  void loadBeside(name).then(() => {
    if (!compilerNamed(name)) missing.set(name, Date.now());
    again();
  });
  throw new AnvilError('E_TRANSLATE', 'What translates this file is being loaded; it runs as soon as it is here.');
}
