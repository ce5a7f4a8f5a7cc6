/**
 * From an outline to code that a target runs: probes and links, then types
 * and other syntax that does not run are taken out by a library.
 */
import { decodedMappings, TraceMap } from '@jridgewell/trace-mapping';
import type { EncodedSourceMap } from '@jridgewell/gen-mapping';
import { addMapping, GenMapping, setSourceContent, toEncodedMap } from '@jridgewell/gen-mapping';
import { LineTable } from '../syntax/positions.js';
import { outlineOf, type Outline } from '../syntax/outline.js';
import { usesOf, type Uses } from '../syntax/uses.js';
import { parse, type Goal, type PackageType } from '../syntax/parse.js';
import { AnvilError, type Problem } from '../syntax/problems.js';
import type { ProjectSettings } from '../syntax/settings.js';
import { probe } from './instrument.js';
import type { Depth, Form } from './options.js';
import { prefixFor, probeDeclarations } from './probe-names.js';
import { firstSlots, slotDeclarations } from './slots.js';
import type { Site } from './sites.js';

/** The library behind type removal; given from outside, because it differs between Node and a page. */
export interface Translator {
  /** Replaces types by spaces: every other character keeps its place. Returns null when the text needs {@link translate}. */
  erase(text: string, goal: Goal): string | null;
  /** Everything else the target does not run: JSX, enums, namespaces, decorators, `accessor`, `using`, parameter properties. */
  translate(code: string, options: TranslateOptions): { code: string; map: string };
}

export interface TranslateOptions {
  goal: Goal;
  typescript: boolean;
  tsx: boolean;
  /** Elements become calls of these names, or of the functions of this package. */
  jsx: { factory: string; fragment: string } | { source: string; development: boolean };
  settings: ProjectSettings | undefined;
  /** Only TypeScript itself translates it. */
  compiler: boolean;
  file: string;
}

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

export interface Link {
  specifier: string;
  attributes: Record<string, string>;
  /** Place of the specifier in the original text. */
  start: number;
  end: number;
}

export interface Compiled {
  file: string;
  goal: Goal;
  code: string;
  sites: Site[];
  prefix: string;
  patchable: boolean;
  links: Link[];
  /** Ordered starts of segments of `code`, and the original offset each stands for (`~offset`: inserted there). */
  generated: Int32Array;
  source: Int32Array;
  /** True when the module's function is async. */
  awaits: boolean;
  original: LineTable;
  /** Marks that ask for nothing possible; the code runs without them. */
  notes: Problem[];
  /** Kept expressions: site, and what they use. */
  keeps: { id: number; uses: Uses }[];
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
    const names = `${depth === 'off' ? '' : probeDeclarations(p, `${p}n`)}${patchable ? slotDeclarations(p, firstSlots(outline).size) : ''}`;
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
          ? livePrelude(p, parsed.file, firstSlots(outline).size, options.version ?? 0, parsed.goal === 'module')
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

/**
 * What elements become. Where the functions for them come from a package, that
 * is one more link, `J` in the code; `link` is its index, or -1.
 */
function jsxOf(
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
  return { how, link: links.length - 1, prelude: `${prelude}${p}X(${p}J,${p}m);` };
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
function jsxRoots(outline: Outline, p: string): Map<number, string> {
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
function jsxHelpers(code: string, p: string): string {
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

/** What a script that is written as a module exports: functions from the start, the rest when it has a value. */
function scriptExports(outline: Outline, p: string): string {
  const functions = new Set(outline.statements.filter((one) => one.kind === 'function').flatMap((one) => one.names));
  const own = outline.exports.filter(
    (entry) =>
      entry.from === undefined &&
      !outline.imports.some((link) => link.names.some((name) => name.local === entry.local)),
  );
  const anonymous = outline.statements.some(
    ({ node }) =>
      node.type === 'ExportDefaultDeclaration' &&
      node.declaration.type === 'FunctionDeclaration' &&
      !node.declaration.id,
  );
  const getters = own.map(
    (entry) => `${JSON.stringify(entry.exported)}:()=>${entry.local === '*default*' ? `${p}z` : entry.local}`,
  );
  const ready = own
    .filter((entry) => functions.has(entry.local) || (entry.local === '*default*' && anonymous))
    .map((entry) => entry.exported);
  // As compilers do, all names are there from the start, those of functions last.
  const passed = outline.exports
    .filter((entry) => entry.exported !== '*' && entry.exported !== 'default' && !ready.includes(entry.exported))
    .map((entry) => entry.exported);
  return `${p}m.give(exports,{${getters.join(',')}},${JSON.stringify(passed)},${JSON.stringify(ready)});`;
}

/** Registers the module's exports before its first statement runs: getters, so that bindings are live and dead zones throw. */
function exportsOf(outline: Outline, p: string): string {
  const getters: string[] = [];
  const stars: string[] = [];
  const linked = outline.imports.filter((entry) => !entry.typeOnly);
  for (const entry of outline.exports) {
    const key = JSON.stringify(entry.exported);
    if (entry.from !== undefined) {
      const index = linked.findIndex((link) => link.specifier === entry.from && link.reexport);
      if (entry.exported === '*') stars.push(`${p}m.star(${index});`);
      else
        getters.push(
          `${key}:()=>${entry.local === '*' ? `${p}m.ns(${index})` : `${p}i${index}[${JSON.stringify(entry.local)}]`}`,
        );
      continue;
    }
    let local = entry.local === '*default*' ? `${p}z` : entry.local;
    linked.forEach((link, index) => {
      const name = link.names.find((imported) => imported.local === entry.local);
      if (name)
        local = name.imported === '*' ? `${p}m.ns(${index})` : `${p}i${index}[${JSON.stringify(name.imported)}]`;
    });
    getters.push(`${key}:()=>${local}`);
  }
  return `${getters.length > 0 ? `${p}m.exports({${getters.join(',')}});` : ''}${stars.join('')}`;
}

/** Patch points for text that stays a module or script: the runtime's table where there is one, else one that stays empty. */
function livePrelude(p: string, file: string, slots: number, version: number, module: boolean): string {
  const inert =
    '{table:()=>[],ticks:[0],late:{},hook(){},classHook:(i,self)=>({self}),made(){},due(){},construct:Reflect.construct,constant(){throw new TypeError("Assignment to constant variable.")}}';
  return `;const ${p}m=globalThis[Symbol.for("usher-anvil/live@1")]?.(${JSON.stringify(file)},${version}${module ? ',import.meta' : ''})??${inert};${slotDeclarations(p, slots)}${p}m.hook((${p}x)=>eval(${p}x));`;
}

/** Probes for text that stays a module or script: taken from the runtime when one is there, else counting only for itself. */
function standalone(p: string, file: string, sites: readonly Site[]): string {
  const n = sites.length;
  return `;${probeDeclarations(
    p,
    `(globalThis[Symbol.for("usher-anvil/probes@1")]??((f,n,o,c=new Float64Array(n))=>({c,d:new Float64Array(n).fill(1/0),q:new Uint8Array(n),a:(i,x)=>x,M(){},v:(i,x)=>x,w:(i,x)=>x,f(){},g(){},e(){},k:(i,x)=>x,l:(i,x)=>x,b(){},r:(i,t,x)=>x,y(){},u(){},h:(i,x)=>x})))(${JSON.stringify(file)},${n},${JSON.stringify(sites.map((site) => site.owner))})`,
  )}`;
}

/** The segments of printed code; `back` gives the original offset of a place in what was printed. */
export function segmentsOf(
  translated: { code: string; map: string },
  back: (line: number, character: number) => number,
): { generated: Int32Array; source: Int32Array } {
  const map = new TraceMap(translated.map);
  const lines = new LineTable(translated.code);
  const generated: number[] = [];
  const source: number[] = [];
  decodedMappings(map).forEach((segments, line) => {
    const start = lines.starts[line];
    if (start === undefined) return;
    for (const segment of segments) {
      if (segment.length < 4) continue;
      generated.push(start + segment[0]);
      source.push(~back(segment[2]!, segment[3]!));
    }
  });
  return { generated: Int32Array.from(generated), source: Int32Array.from(source) };
}

/** The original offset behind an offset of compiled code. */
export function originalOffset(compiled: Pick<Compiled, 'generated' | 'source'>, offset: number): number {
  const { generated, source } = compiled;
  if (generated.length === 0) return offset;
  let low = 0;
  let high = generated.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (generated[middle]! <= offset) low = middle;
    else high = middle - 1;
  }
  const from = source[low]!;
  return from < 0 ? ~from : from + (offset - generated[low]!);
}

export interface InstrumentOptions {
  /** Name of the file; its extension decides the language. */
  file: string;
  /** How much the code reports. Default `values`. */
  depth?: Depth;
  /** What the text becomes. Default `module`, or `script` for CommonJS. */
  form?: Form;
  /** Adds patch points and scope hooks. Default false. */
  patchable?: boolean;
  packageType?: PackageType;
}

export interface Instrumented {
  code: string;
  /** Source map (version 3) back to the original text; made when first read. */
  readonly map: EncodedSourceMap;
  sites: Site[];
  problems: Problem[];
}

/**
 * Instruments one text.
 *
 * @returns the code that reports, its source map, its sites (ranges are
 * offsets into the original text), and the syntax errors. With errors, `code`
 * is the original text and there are no sites.
 * @throws AnvilError `E_OPTION` for an unknown depth or form.
 */
export function instrumentWith(translator: Translator, source: string, options: InstrumentOptions): Instrumented {
  const { file, depth = 'values', patchable = false } = options;
  if (!['off', 'counts', 'values'].includes(depth))
    throw new AnvilError('E_OPTION', `depth is "${String(depth)}". It is one of off, counts, values.`);
  if (options.form !== undefined && !['linked', 'module', 'script'].includes(options.form))
    throw new AnvilError('E_OPTION', `form is "${String(options.form)}". It is one of linked, module, script.`);
  const parsed = parse(source, { file, packageType: options.packageType });
  if (parsed.program === null || parsed.problems.length > 0)
    return { code: source, map: identityMap(file, source), sites: [], problems: parsed.problems };
  const form = options.form ?? parsed.goal;
  const compiled = compile(outlineOf(parsed), { depth, form, patchable, translator });
  let map: EncodedSourceMap | undefined;
  return {
    code: compiled.code,
    get map() {
      return (map ??= mapOf(compiled, source));
    },
    sites: compiled.sites,
    problems: [],
  };
}

function identityMap(file: string, text: string): EncodedSourceMap {
  return mapOf({ file, code: text, generated: Int32Array.of(0), source: Int32Array.of(0) }, text);
}

/** A source map from compiled code to its original. */
export function mapOf(
  compiled: Pick<Compiled, 'file' | 'code' | 'generated' | 'source'>,
  original: string,
): EncodedSourceMap {
  const map = new GenMapping({ file: compiled.file });
  setSourceContent(map, compiled.file, original);
  const lines = new LineTable(compiled.code);
  const originals = new LineTable(original);
  const add = (at: number, from: number): void => {
    const place = lines.positionAt(at);
    const back = originals.positionAt(from);
    addMapping(map, {
      generated: { line: place.line + 1, column: place.character },
      source: compiled.file,
      original: { line: back.line + 1, column: back.character },
    });
  };
  for (let i = 0; i < compiled.generated.length; i++) {
    const start = compiled.generated[i]!;
    const end = i + 1 < compiled.generated.length ? compiled.generated[i + 1]! : compiled.code.length;
    const from = compiled.source[i]!;
    add(start, from < 0 ? ~from : from);
    if (from < 0) continue;
    // Copied text: each word leads back to itself.
    for (const word of compiled.code.slice(start, end).matchAll(/[\p{ID_Continue}$]+/gu))
      if (word.index > 0) add(start + word.index, from + word.index);
    const last = lines.lineAt(Math.max(start, end - 1));
    for (let line = lines.lineAt(start) + 1; line <= last; line++)
      add(lines.starts[line]!, from + (lines.starts[line]! - start));
  }
  return toEncodedMap(map);
}
