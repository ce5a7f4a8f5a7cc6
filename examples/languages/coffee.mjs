/** CoffeeScript as a language of pads. */
import { compile } from 'coffeescript';

export default {
  name: 'CoffeeScript',
  extensions: ['.coffee'],
  comment: '#',
  keywords: [
    'if',
    'then',
    'else',
    'unless',
    'for',
    'in',
    'of',
    'when',
    'while',
    'return',
    'class',
    'extends',
    'new',
    'throw',
    'try',
    'catch',
    'import',
    'export',
    'from',
    'default',
  ],
  toJavaScript(text, file) {
    try {
      const { js, v3SourceMap } = compile(text, { bare: true, sourceMap: true, filename: file });
      return { code: js, map: v3SourceMap };
    } catch (error) {
      const { first_line: line, first_column: column } = error.location ?? {};
      throw Object.assign(new Error(error.message), { line, column });
    }
  },
};
