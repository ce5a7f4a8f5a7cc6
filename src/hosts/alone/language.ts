/** Type removal in a page: from the parser's own tree; what needs a compiler is asked of one that the page may have. */
import { eraseTypes } from '../../instrument/erase.js';
import type { Translator } from '../../instrument/translator.js';
import type { Language } from '../../session/host.js';
import { AnvilError } from '../../syntax/problems.js';

/** Translates what cannot be erased. */
export type Compile = Translator['translate'];

/** @param compile absent where the page came without a compiler */
export function aloneLanguage(compile?: Compile): Language {
  return {
    translator: {
      erase: eraseTypes,
      translate(code, options) {
        if (!compile)
          throw new AnvilError(
            'E_TRANSLATE',
            'Enums, parameter properties, decorators and elements need a compiler, and this page came without one. Publish it to a folder.',
          );
        return compile(code, options);
      },
    },
    recover: (_file, _text, first) => [...first],
  };
}
