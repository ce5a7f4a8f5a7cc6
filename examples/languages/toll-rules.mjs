/**
 * A small language for the tolls of the canal, one rule a line:
 *
 *     rate slate is 3
 *     toll for length over 20 is 900, else 350
 *     barge Heron carries 12 slate, length 21
 *     expect toll of Heron to be 936
 *
 * Each line becomes a statement of JavaScript, and each of its words leads back to where it stands.
 */
import { GenMapping, addMapping, toEncodedMap } from '@jridgewell/gen-mapping';

const RULES = [
  {
    form: /^rate (?<kind>\w+) is (?<rate>[\d.]+)$/,
    make: ({ kind, rate }) => [`rates[`, [JSON.stringify(kind.text), kind], `] = `, [rate.text, rate]],
  },
  {
    form: /^toll for (?<what>\w+) over (?<edge>[\d.]+) is (?<high>[\d.]+), else (?<low>[\d.]+)$/,
    make: ({ what, edge, high, low }) => [
      `parts.push((barge) => barge.`,
      [what.text, what],
      ` > `,
      [edge.text, edge],
      ` ? `,
      [high.text, high],
      ` : `,
      [low.text, low],
      `)`,
    ],
  },
  {
    form: /^barge (?<name>\w+) carries (?<tonnes>[\d.]+) (?<kind>\w+), length (?<length>[\d.]+)$/,
    make: ({ name, tonnes, kind, length }) => [
      `const `,
      [name.text, name],
      ` = { kind: `,
      [JSON.stringify(kind.text), kind],
      `, tonnes: `,
      [tonnes.text, tonnes],
      `, length: `,
      [length.text, length],
      ` }`,
    ],
  },
  {
    form: /^expect toll of (?<name>\w+) to be (?<toll>[\d.]+)$/,
    make: ({ name, toll }) => [
      `test(`,
      [JSON.stringify(`the toll of ${name.text}`), name],
      `, () => equal(`,
      [`tollOf(${name.text})`, name],
      `, `,
      [toll.text, toll],
      `))`,
    ],
  },
  {
    form: /^show (?<name>\w+)$/,
    make: ({ name }) => [`const `, [`tollOf${name.text}`, name], ` = `, [`tollOf(${name.text})`, name]],
  },
];

const HEAD = [
  "import { test } from 'node:test';",
  "import { equal } from 'node:assert';",
  'const rates = {}; const parts = [];',
  'const tollOf = (barge) => parts.reduce((sum, part) => sum + part(barge), (rates[barge.kind] ?? 0) * barge.tonnes);',
].join(' ');

export default {
  name: 'toll rules',
  extensions: ['.tolls'],
  comment: '#',
  keywords: ['rate', 'is', 'toll', 'for', 'over', 'else', 'barge', 'carries', 'length', 'expect', 'of', 'to', 'be', 'show'],
  toJavaScript(text, file) {
    const map = new GenMapping({ file });
    const code = [HEAD];
    text.split('\n').forEach((whole, line) => {
      const written = whole.replace(/#.*$/, '').trimEnd();
      const indent = written.length - written.trimStart().length;
      if (written.trim() === '') return;
      const found = RULES.map((rule) => ({ rule, match: rule.form.exec(written.trim()) })).find(({ match }) => match);
      if (!found) {
        const known = 'rate, toll, barge, expect, show';
        throw Object.assign(new Error(`"${written.trim()}" is no rule; there are ${known}`), { line, column: indent });
      }
      // Where each word of the rule stands.
      let from = 0;
      const places = Object.fromEntries(
        Object.entries(found.match.groups).map(([name, value]) => {
          const at = written.indexOf(value, Math.max(indent, from));
          from = at + value.length;
          return [name, { text: value, at }];
        }),
      );
      let made = '';
      const mark = (column) =>
        addMapping(map, {
          source: file,
          generated: { line: code.length + 1, column: made.length },
          original: { line: line + 1, column },
        });
      mark(indent);
      for (const part of found.rule.make(places)) {
        if (typeof part === 'string') made += part;
        else {
          mark(part[1].at);
          made += part[0];
          mark(part[1].at + part[1].text.length);
        }
      }
      code.push(`${made};`);
    });
    return { code: code.join('\n'), map: toEncodedMap(map) };
  },
};
