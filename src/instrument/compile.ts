/**
 * From an outline to code that a target runs: probes and links, then types
 * and other syntax that does not run are taken out by a library.
 */
import type { Outline } from '../syntax/outline.js';
import { LineTable } from '../syntax/positions.js';
import { usesOf } from '../syntax/uses.js';
import { probe } from './instrument.js';
import { jsxHelpers, jsxOf, jsxRoots } from './jsx.js';
import { exportsOf, scriptExports } from './module-exports.js';
import type { Depth, Form } from './options.js';
import { livePrelude, standalone } from './preludes.js';
import { prefixFor, probeDeclarations } from './probe-names.js';
import { firstSlots, slotDeclarations } from './slots.js';
import { segmentsOf } from './source-map.js';
import type { Compiled, Link, Translator } from './translator.js';

export interface CompileOptions {
  depth?: Depth;
  form?: Form;
  patchable?: boolean;
  /** For patchable text that stays a module: which version of the file it is. */
  version?: number;
  /** The module is part of a cycle: its function registers exports first and runs at a second step. */
  cyclic?: boolean;
  translator: Translator;
}

/** Compiles one outlined text for a target. */
export function compile(outline: Outline, options: CompileOptions): Compiled {
  const { parsed } = outline;
  const { translator, depth = 'values', form = 'linked', patchable = false } = options;
  const p = prefixFor(parsed.text);
  const roots = outline.hasJsx && form === 'linked' ? jsxRoots(outline, p) : new Map<number, string>();
  const probed = probe(outline, { depth, form, patchable, ...(parsed.interop ? { jsxRoots: roots } : {}) });
  const { edits } = probed;
  const links: Link[] = probed.links.map((entry) => ({
    specifier: entry.specifier,
    attributes: entry.attributes,
    start: entry.at.start,
    end: entry.at.end,
  }));
  const script = parsed.goal === 'script';
  const cyclic = options.cyclic === true && !script;
  const jsx = jsxOf(outline, p, form, links, roots);
  if (form === 'linked') {
    const strict =
      !script ||
      parsed.interop ||
      (parsed.program!.directives as { value: { value: string } }[]).some(
        (directive) => directive.value.value === 'use strict',
      );
    const imported = links.map((_, index) => (index === jsx.link ? `${p}J` : `${p}i${index}`)).join(',');
    const ours = `${p}m,${p}n${imported === '' ? '' : `,${imported}`}`;
    const names = `${depth === 'off' ? '' : probeDeclarations(p, `${p}n`)}${patchable ? slotDeclarations(p, firstSlots(outline)) : ''}`;
    const relink = cyclic && imported !== '' ? `${p}m.relink((${p}l)=>{[${imported}]=${p}l});` : '';
    const hook = patchable ? `${p}m.hook((${p}x)=>eval(${p}x));` : '';
    const strictly = strict ? '"use strict";' : '';
    edits.header = script
      ? `(function(${ours}){${names}${jsx.prelude}return(function(exports,require,module,__filename,__dirname){${strictly}${parsed.interop ? scriptExports(outline, p) : ''}${probed.defaultFunction ? `${p}m.named(${p}z);` : ''}${hook}`
      : `(${outline.topLevelAwait ? 'async ' : ''}function${cyclic ? '*' : ''}(${ours}){${strictly}${names}${relink}${exportsOf(outline, p)}${jsx.prelude}${probed.defaultFunction ? `${p}m.named(${p}z);` : ''}${hook}${cyclic ? 'yield;' : ''}`;
    edits.footer = script ? '\n})})' : '\n})';
  } else {
    const probes = depth === 'off' ? '' : standalone(p, parsed.file, probed.sites);
    edits.fill(
      probed.prelude,
      probes +
        (patchable
          ? livePrelude(p, parsed.file, firstSlots(outline), options.version ?? 0, parsed.goal === 'module')
          : ''),
    );
    if (patchable && probed.defaultValue) edits.footer = `\nexport{${p}z as default};`;
  }

  const typed = parsed.language === 'ts' || parsed.language === 'tsx';
  let base = parsed.text;
  let needsTranslation = outline.needsTranslation;
  if (!needsTranslation && typed && outline.hasTypes) {
    const erased = translator.erase(parsed.text, parsed.interop ? 'module' : parsed.goal);
    if (erased === null) needsTranslation = true;
    else base = erased;
  }
  const edited = edits.apply(base);
  const result = {
    file: parsed.file,
    goal: parsed.goal,
    sites: probed.sites,
    prefix: p,
    patchable,
    links,
    awaits: outline.topLevelAwait,
    original: new LineTable(parsed.text),
    notes: probed.problems,
    keeps: probed.keeps.map(({ id, node }) => ({ id, uses: usesOf(outline, node) })),
  };
  if (!needsTranslation) return { ...result, code: edited.code, generated: edited.generated, source: edited.source };
  const translated = translator.translate(edited.code, {
    goal: parsed.goal,
    jsx: jsx.how,
    typescript: typed,
    tsx: parsed.language === 'tsx',
    settings: parsed.settings,
    compiler: outline.needsCompiler,
    file: parsed.file,
  });
  const between = new LineTable(edited.code);
  const { generated, source } = segmentsOf(translated, (line, character) =>
    edited.originalOffset(between.offsetAt({ line, character })),
  );
  let { code } = translated;
  if (form === 'linked') {
    // Helpers of the translator stand before the function: together they become one expression that gives it.
    code = code.trimEnd().replace(/;$/, '');
    const at = code.search(/^\((?:async )?function/m);
    const declared = roots.size > 0 ? `let ${[...roots.values()].join(',')};` : '';
    const helpers = declared + (jsx.link < 0 ? code.slice(0, at) : jsxHelpers(code.slice(0, at), p));
    const moved = helpers.length - at;
    code = `(()=>{${helpers}return ${code.slice(at)}})()`;
    for (let i = 0; i < generated.length; i++) generated[i]! += generated[i]! >= at ? moved + 13 : 6;
  }
  return { ...result, code, generated, source };
}
