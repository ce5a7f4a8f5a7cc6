/** Panels: a file with a picture and a script that fills it, as one module. `{name}` in the picture is a value of the script. */
import { GenMapping, addMapping, toEncodedMap } from '@jridgewell/gen-mapping';

export default {
  name: 'panel',
  extensions: ['.panel'],
  comment: '//',
  toJavaScript(text, file) {
    const script = /<script>\n?/.exec(text);
    const end = text.indexOf('</script>');
    if (!script || end < 0) throw Object.assign(new Error('a panel has a <script>'), { line: 0, column: 0 });
    const map = new GenMapping({ file });
    const from = script.index + script[0].length;
    const before = text.slice(0, from).split('\n').length - 1;
    const code = text.slice(from, end).replace(/\n$/, '').split('\n');
    // The script is taken over as it stands: each of its words keeps its place.
    code.forEach((line, at) => {
      for (const word of line.matchAll(/\w+|[^\w\s]/g))
        addMapping(map, {
          source: file,
          generated: { line: at + 1, column: word.index },
          original: { line: before + at + 1, column: word.index },
        });
    });
    const picture = (text.slice(0, script.index) + text.slice(end + '</script>'.length)).trim();
    const filled = picture.replace(/[`\\]|\$(?=\{)/g, '\\$&').replace(/\{([\w.]+)\}/g, '${$1}');
    code.push(`export const picture = \`${filled}\`;`);
    const place = text.indexOf(picture.slice(0, 20));
    addMapping(map, {
      source: file,
      generated: { line: code.length, column: 0 },
      original: { line: text.slice(0, Math.max(0, place)).split('\n').length, column: 0 },
    });
    return { code: code.join('\n'), map: toEncodedMap(map) };
  },
};
