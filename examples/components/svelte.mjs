/** Single-file components of Svelte as a language of pads: a component is shown beside its code, and imports others. */
import { compile } from 'svelte/compiler';

export default {
  name: 'Svelte',
  extensions: ['.svelte'],
  comment: '//',
  mode: 'html',
  place: 'page',
  toJavaScript(text, file, shows) {
    try {
      const { js } = compile(text, { filename: file, generate: 'client', css: 'injected', dev: false });
      const name = /export default (?:async )?function (\w+)/.exec(js.code)[1];
      const shown = `\nimport { mount as shownBy } from 'svelte';\nshownBy(${name}, { target: document.body });`;
      return { code: js.code + (shows ? shown : ''), map: js.map };
    } catch (error) {
      const { line = 1, column = 0 } = error.start ?? {};
      throw Object.assign(new Error(error.message), { line: line - 1, column });
    }
  },
};
