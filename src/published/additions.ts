/** What a project adds to its pads, as it came along with one. It executes when the pad does, and not before. */
import { type LanguagePlugin, type Made, madeCode } from '../hosts/alone/index.js';
import { putVerb, type Verb } from '../syntax/verbs/index.js';
import { addViews, type ViewMaker } from '../views/added.js';
import type { Published } from './format.js';

interface Additions {
  languages: LanguagePlugin[];
  verbs: Verb[];
  views: ViewMaker[];
}

let code = '';
let loaded: Additions | undefined;

export const additions = {
  /** For the editor: it is data, and nothing of it executes. */
  languages: [] as NonNullable<Published['additions']>['languages'],

  came({ additions: given }: Published): void {
    code = given?.code ?? '';
    additions.languages = given?.languages ?? [];
  },

  /** The pad executes from now on. */
  load(): void {
    if (code === '' || loaded) return;
    loaded = (0, eval)(`(()=>{${code}\n;return additions})()`) as Additions;
    for (const verb of loaded.verbs) putVerb(verb);
    addViews(loaded.views);
  },

  /** Code that a language makes of a file; undefined for a file of none. */
  made(file: string, text: string, shows: boolean): Made | undefined {
    const plugin = loaded?.languages.find(({ extensions }) =>
      extensions.some((one) => file.toLowerCase().endsWith(one)),
    );
    return plugin && madeCode(plugin, text, file, shows);
  },
};
