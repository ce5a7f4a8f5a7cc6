/**
 * The outline of a file: its imports and exports, its functions and classes,
 * its top-level names and statements, and every reference to a name that the
 * linker must rewrite. Plain data over the tree of one parse.
 */
import type { Node } from './node.js';
import type { Collector } from './outlining/collector.js';
import { resolvesToTop } from './outlining/collector.js';
import type { Outline } from './outlining/data.js';
import { collectTopLevel, dropUnusedImports } from './outlining/links.js';
import { VISIT, walk } from './outlining/walk.js';
import type { Parsed } from './parse.js';
import { TEST_GLOBALS, TEST_TOOLS } from './test-globals.js';

export type {
  ClassInfo,
  ExportEntry,
  FunctionInfo,
  FunctionKind,
  ImportEntry,
  ImportName,
  Outline,
  Reference,
  TopLevelStatement,
} from './outlining/data.js';
export { memberName } from './outlining/names.js';

/** Free names of interest besides imports and top-level names. */
const WATCHED = new Set([
  'require',
  'module',
  'exports',
  '__filename',
  '__dirname',
  'console',
  'process',
  'eval',
  'React',
  ...TEST_GLOBALS,
  ...TEST_TOOLS,
]);

/** Makes the outline of a parsed text; `parsed.program` must not be null. */
export function outlineOf(parsed: Parsed): Outline {
  const { settings, language } = parsed;
  const program = parsed.program!;
  const typed = language === 'ts' || language === 'tsx';
  const outline: Outline = {
    parsed,
    imports: [],
    exports: [],
    dynamicImports: [],
    functions: [],
    classes: [],
    statements: [],
    asked: new Set(),
    references: [],
    topLevel: new Map(),
    topLevelAwait: false,
    hasTypes: false,
    needsTranslation: false,
    lowers: false,
    hasJsx: false,
    needsCompiler: false,
    usesImportMeta: false,
  };
  collectTopLevel(program, outline);
  const verbatim = settings?.verbatimModuleSyntax === true;
  if (verbatim)
    for (const entry of outline.imports) {
      const { node } = outline.statements.find((one) => one.start === entry.start)!;
      entry.typeOnly = node.importKind === 'type' || node.exportKind === 'type';
    }
  const used = collectReferences(outline, {
    assignsFields: typed && settings?.useDefineForClassFields === false,
    metadata: settings?.emitDecoratorMetadata === true,
  });
  if (typed && !verbatim) dropUnusedImports(outline, used);
  if (parsed.interop)
    for (const { typeOnly, specifier, at } of outline.imports)
      if (!typeOnly) outline.dynamicImports.push({ specifier, ...at, call: 'require' });
  if (outline.imports.some((entry) => entry.typeOnly)) outline.hasTypes = true;
  return outline;
}

/** Walks the file. Returns the names that are used as values. */
function collectReferences(outline: Outline, settings: Pick<Collector, 'assignsFields' | 'metadata'>): Set<string> {
  const watched = new Set(WATCHED);
  for (const entry of outline.imports) for (const name of entry.names) watched.add(name.local);
  for (const name of outline.topLevel.keys()) watched.add(name);
  const collector: Collector = {
    outline,
    visit: VISIT,
    watched,
    top: { parent: null, isFunction: true, names: new Set() },
    pending: [],
    namespaces: new Set(),
    usedPaths: new Map(),
    pathNames: [],
    currentFunction: -1,
    blocks: 0,
    ...settings,
  };
  for (const statement of outline.parsed.program!.body as Node[]) walk(collector, statement, collector.top);
  const used = new Set<string>();
  for (const { scope, reference } of collector.pending) {
    if (!resolvesToTop(scope, reference.name)) continue;
    outline.references.push(reference);
    used.add(reference.name);
  }
  return used;
}

/** Index of the innermost class around a node, or -1. */
export function classAround(outline: Outline, node: Node): number {
  let best = -1;
  outline.classes.forEach((entry, index) => {
    if (entry.start <= node.start && entry.end >= node.end && (best < 0 || entry.start >= outline.classes[best]!.start))
      best = index;
  });
  return best;
}

export { isFunction } from './node.js';
