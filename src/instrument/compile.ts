/**
 * From an outline to code that a target runs: probes and links, then types
 * and other syntax that does not run are taken out by a library.
 */
import type { Outline, Reference } from '../syntax/outline.js';
import { LineTable } from '../syntax/positions.js';
import type { Selected } from '../syntax/selection.js';
import type { Remark } from '../syntax/problems.js';
import { statementsAhead } from '../syntax/replaced-modules.js';
import { type PortablePaint, portablePaints } from '../syntax/portable.js';
import { type ScriptName, scriptNamesIn } from '../syntax/script-names.js';
import { usesOf } from '../syntax/uses.js';
import { callsAhead } from './ahead.js';
import { probe } from './instrument.js';
import { jsxHelpers, jsxOf, jsxRoots } from './jsx.js';
import { exportsOf, scriptExports } from './module-exports.js';
import type { Depth, Form } from './options.js';
import type { StopPoints } from './stop-roles.js';
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
  /** It stays a module, and a module runner executes it. */
  runner?: { symbol: string } | undefined;
  /** The module is part of a cycle: its function registers exports first and runs at a second step. */
  cyclic?: boolean;
  selected?: Selected | undefined;
  /** It is a pad: a module that uses names of scripts gets them. */
  pad?: boolean;
  /** Where linked code stops: what is evaluated there sees all names of the module. */
  stops?: StopPoints | undefined;
  translator: Translator;
}

/** Compiles one outlined text for a target. */
export function compile(outline: Outline, options: CompileOptions): Compiled {
  const { parsed } = outline;
  const { translator, depth = 'values', form = 'linked', patchable = false } = options;
  const p = prefixFor(parsed.text);
  const roots = outline.hasJsx && form === 'linked' ? jsxRoots(outline, p) : new Map<number, string>();
  const probed = probe(outline, {
    depth,
    form,
    patchable,
    selected: options.selected,
    stops: options.stops,
    ...(parsed.interop ? { jsxRoots: roots } : {}),
  });
  const { edits } = probed;
  if (form === 'linked' && !patchable && depth === 'values') {
    for (const { end, given, comma, code } of portableCode(outline, translator))
      edits.insert(end, `${comma ? '' : ','}${given === 3 ? 'void 0,' : ''}${JSON.stringify(code)}`);
  }
  const links: Link[] = probed.links.map(({ specifier, attributes, at }) => ({ specifier, attributes, ...at }));
  const script = parsed.goal === 'script';
  const ahead = form === 'linked' && !patchable ? statementsAhead(outline).length : 0;
  // What runs ahead does so when exports are registered.
  const cyclic = (options.cyclic === true || ahead > 0) && !script;
  const scriptNames = options.pad === true ? scriptNamesIn(outline) : undefined;
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
    const names = `${depth === 'off' ? '' : probeDeclarations(p, `${p}n`, depth === 'steps' && !patchable, options.stops !== undefined)}${patchable ? slotDeclarations(p, firstSlots(outline)) : ''}`;
    const again = jsx.prelude === '' ? '' : `;${jsx.prelude}`;
    const relink = cyclic && imported !== '' ? `${p}m.relink((${p}l)=>{[${imported}]=${p}l${again}});` : '';
    const pasted = scriptNames?.size ? `let{${[...scriptNames.keys()].join(',')}}=${p}m.script();` : '';
    const hook = patchable || options.stops ? `${p}m.hook((${p}x)=>eval(${p}x));` : '';
    const strictly = strict ? '"use strict";' : '';
    edits.header = script
      ? `(function(${ours}){${names}${jsx.prelude}return(function(exports,require,module,__filename,__dirname){${strictly}${parsed.interop ? scriptExports(outline, p) : ''}${probed.defaultFunction ? `${p}m.named(${p}z);` : ''}${hook}${callsAhead(p, ahead)}`
      : `(${outline.topLevelAwait ? 'async ' : ''}function${cyclic ? '*' : ''}(${ours}){${strictly}${names}${pasted}${relink}${exportsOf(outline, p)}${jsx.prelude}${probed.defaultFunction ? `${p}m.named(${p}z);` : ''}${hook}${callsAhead(p, ahead)}${cyclic ? 'yield;' : ''}`;
    edits.footer = script ? '\n})})' : '\n})';
  } else {
    const probes = depth === 'off' ? '' : standalone(p, parsed.file, probed.sites);
    edits.fill(probed.prelude, probes + (patchable ? patchPoints(outline, p, options) : ''));
    if (patchable && probed.defaultValue) edits.footer = `\nexport{${p}z as default};`;
  }

  const typed = parsed.language === 'ts' || parsed.language === 'tsx';
  let base = parsed.text;
  let needsTranslation = outline.needsTranslation;
  if (!needsTranslation && typed && outline.hasTypes) {
    const erased = translator.erase(parsed.text, parsed.interop ? 'module' : parsed.goal, parsed.program);
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
    ...(options.stops ? { stops: true as const } : {}),
    links,
    awaits: outline.topLevelAwait,
    original: new LineTable(parsed.text),
    notes: [...probed.problems, ...(scriptNames ? remarks(outline, scriptNames) : [])],
    keeps: probed.keeps.map(({ id, node }) => ({ id, uses: usesOf(outline, node) })),
  };
  if (!needsTranslation) return { ...result, code: edited.code, generated: edited.generated, source: edited.source };
  const translated = translator.translate(edited.code, {
    goal: parsed.goal,
    jsx: jsx.how,
    typescript: typed,
    tsx: parsed.language === 'tsx',
    settings: parsed.settings,
    lowers: outline.lowers,
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

/** Calls of `paint` whose functions may be called on other threads, with the code that they are made of there. */
function portableCode(outline: Outline, translator: Translator): (PortablePaint & { code: string })[] {
  return portablePaints(outline).flatMap((one) => {
    const code = translator.erase(`${one.needs}\nconst passes = ${one.passes};`, 'module');
    return code === null ? [] : [{ ...one, code }];
  });
}

/** What text that stays a module or script begins with, to be patched. */
function patchPoints(outline: Outline, p: string, { version = 0, runner }: CompileOptions): string {
  const { file, goal } = outline.parsed;
  const bound = outline.imports.flatMap(({ typeOnly, names }) => (typeOnly ? [] : names.map((name) => name.local)));
  return livePrelude(p, file, firstSlots(outline), version, goal === 'module', runner && { ...runner, bound });
}

/** What runs in a pad, and would not by itself. */
function remarks({ parsed, imports, statements }: Outline, names: ReadonlyMap<ScriptName, Reference>): Remark[] {
  const found: Remark[] = [];
  const [first] = [...names.values()].sort((a, b) => a.start - b.start);
  if (first) {
    const message = `only in a pad: ${[...names.keys()].join(', ')}; to other tools a module has no such name`;
    found.push({ code: 'R_SCRIPT_NAME', message, start: first.start, end: first.end, quiet: true });
  }
  if (parsed.onlyAsPad) {
    const { start, end } = imports[0] ?? statements[0] ?? { start: 0, end: 0 };
    const message = 'only in a pad: import and await here; to this project the file is a script';
    found.push({ code: 'R_ONLY_AS_PAD', message, start, end, quiet: true });
  }
  return found;
}
