/** Elements: what they become, and where the functions for them come from. */
import type { Outline } from '../syntax/outline.js';
import type { Form } from './options.js';
import { prefixFor } from './probe-names.js';
import type { Link, TranslateOptions } from './translator.js';

/**
 * What elements become. Where the functions for them come from a package, that
 * is one more link, `J` in the code; `link` is its index, or -1.
 */
export function jsxOf(
  outline: Outline,
  p: string,
  form: Form,
  links: Link[],
  roots: ReadonlyMap<number, string>,
): { how: TranslateOptions['jsx']; link: number; prelude: string } {
  const { text, settings } = outline.parsed;
  const named = (pragma: string): string | undefined => pragmaOf(text, pragma);
  // Of imported factories the code finds the module in a variable of its own; see jsxRoots.
  const prelude = outline.parsed.interop
    ? ''
    : [...roots].map(([index, variable]) => `${variable}=${p}i${index};`).join('');
  const none = { link: -1, prelude };
  const [factory, fragment] = factoriesOf(outline);
  const classic = { factory: placed(outline, roots, factory), fragment: placed(outline, roots, fragment) };
  if (!outline.hasJsx) return { how: classic, ...none };
  const source = named('jsxImportSource');
  const runtime = named('jsxRuntime');
  const inScope =
    outline.topLevel.has('React') ||
    outline.imports.some((entry) => !entry.typeOnly && entry.names.some((name) => name.local === 'React'));
  const automatic =
    source !== undefined ||
    runtime === 'automatic' ||
    (runtime !== 'classic' && named('jsx') === undefined && (settings ? settings.jsx !== 'classic' : !inScope));
  if (!automatic) return { how: classic, ...none };
  const from = source ?? settings?.jsxImportSource ?? 'react';
  const development = settings?.jsx === 'development';
  const how = { source: from, development };
  if (form !== 'linked') return { how, ...none };
  links.push({ specifier: `${from}/jsx-${development ? 'dev-' : ''}runtime`, attributes: {}, start: 0, end: 0 });
  return { how, link: links.length - 1, prelude: `${prelude}${p}J&&${p}X(${p}J,${p}m);` };
}

/** What elements become in a part of a file that runs: the same as in the file, with what that has linked for them. */
export function partJsx(outline: Outline): TranslateOptions['jsx'] {
  const p = prefixFor(outline.parsed.text);
  const roots = outline.hasJsx && !outline.parsed.interop ? jsxRoots(outline, p) : new Map<number, string>();
  return jsxOf(outline, p, 'linked', [], roots).how;
}

/** The imports that a translator adds for elements of a part, as what its module has linked. */
export function partHelpers(code: string, p: string): string {
  return code.replace(/^import \{([^}]*)\} from ("[^"]*");?$/gm, (_all, list: string, from: string) =>
    list
      .split(',')
      .map((one) => one.trim().split(/\s+as\s+/))
      .filter(([imported = '']) => imported !== '')
      .map(([imported = '', local = imported]) =>
        imported === 'createElement'
          ? `const ${local}=${p}m.require(${from}).createElement;`
          : `const ${local}=${p}J.${imported};`,
      )
      .join(''),
  );
}

function pragmaOf(text: string, pragma: string): string | undefined {
  return new RegExp(`@${pragma}\\s+([\\w.$@/-]+)`).exec(text.slice(0, 2_000))?.[1];
}

/** The functions for elements and fragments, as the file or its project names them. */
function factoriesOf({ parsed: { text, settings } }: Outline): [string, string] {
  return [
    pragmaOf(text, 'jsx') ?? settings?.jsxFactory ?? 'React.createElement',
    pragmaOf(text, 'jsxFrag') ?? settings?.jsxFragmentFactory ?? 'React.Fragment',
  ];
}

/**
 * Imports that factories come from, by index, and a variable for each. The
 * translator takes a factory for a global name, and renames what has it inside.
 */
export function jsxRoots(outline: Outline, p: string): Map<number, string> {
  const roots = new Map<number, string>();
  const names = factoriesOf(outline).map((factory) => factory.split('.')[0]);
  outline.imports
    .filter((entry) => !entry.typeOnly)
    .forEach((entry, index) => {
      if (entry.names.some(({ local }) => names.includes(local))) roots.set(index, `${p}H${index}`);
    });
  return roots;
}

/** A factory that is imported, as the code finds it. */
function placed(outline: Outline, roots: ReadonlyMap<number, string>, factory: string): string {
  const [root, ...rest] = factory.split('.');
  const entries = outline.imports.filter((entry) => !entry.typeOnly);
  for (const [index, variable] of roots) {
    const name = entries[index]!.names.find((one) => one.local === root);
    if (name) return [name.imported === '*' ? variable : `${variable}.${name.imported}`, ...rest].join('.');
  }
  return factory;
}

/** The imports that a translator adds for elements, as variables that the module's own link fills. */
export function jsxHelpers(code: string, p: string): string {
  const names: [string, string][] = [];
  const rest = code.replace(/^import \{([^}]*)\} from ("[^"]*");?$/gm, (_all, list: string, from: string) => {
    for (const one of list.split(',')) {
      const [imported = '', local = imported] = one.trim().split(/\s+as\s+/);
      // For a key behind a spread there is but the older function, from the package itself.
      if (imported !== '')
        names.push([local, imported === 'createElement' ? `m.require(${from}).createElement` : `r.${imported}`]);
    }
    return '';
  });
  const declared = names.length === 0 ? '' : `let ${names.map(([local]) => local).join(',')};`;
  return `${rest}${declared}const ${p}X=(r,m)=>{${names.map(([local, value]) => `${local}=${value}`).join(';')}};`;
}
