/** What an outline says of a file. Plain data over the tree of one parse. */
import type { Node } from '../node.js';
import type { Parsed } from '../parse.js';

export interface ImportName {
  /** Name in the importing file. */
  local: string;
  /** Name in the imported module; `*` for the whole namespace. */
  imported: string;
  start: number;
  end: number;
}

export interface ImportEntry {
  specifier: string;
  names: ImportName[];
  /** The whole declaration. */
  start: number;
  end: number;
  /** `import type`, or every name is a type. */
  typeOnly: boolean;
  /** `with { type: … }`. */
  attributes: Record<string, string>;
  /** The specifier's own place, for messages. */
  at: { start: number; end: number };
  /** `export … from` has no names in this file. */
  reexport: boolean;
}

export interface ExportEntry {
  exported: string;
  /** Name in this file, or in the module of `from`; `*` re-exports all. */
  local: string;
  from?: string;
}

/** One use of a name that is not bound in an inner scope. */
export interface Reference {
  name: string;
  start: number;
  end: number;
  /** Written in a pattern as name of the property too. */
  shorthand?: true;
  /**
   * `member`: of a member access, whose object the name is. `type`: in a type that is at hand while the program runs.
   */
  use: 'read' | 'write' | 'call' | 'member' | 'type' | 'shorthand' | 'export' | 'jsx' | 'tag' | 'decorator';
  /** The expression that assigns, for `write`. */
  by?: Node;
}

export type FunctionKind = 'function' | 'arrow' | 'method' | 'getter' | 'setter' | 'constructor';

export interface FunctionInfo {
  node: Node;
  kind: FunctionKind;
  name: string;
  /** Place in the file by names: `Chamber.advance`, `fill/step`, `setInterval()`. Unique with `#n` where needed. */
  path: string;
  start: number;
  end: number;
  /** Index of the enclosing function in `functions`, or -1. */
  parent: number;
  /** Index of the class whose member it is, or -1. */
  owner: number;
  isStatic: boolean;
  async: boolean;
  generator: boolean;
  /** Stands inside a block, loop or `catch` that may bind names of its own. */
  inBlock: boolean;
}

export interface ClassInfo {
  node: Node;
  name: string;
  path: string;
  start: number;
  end: number;
  /** Index of the enclosing function, or -1. */
  parent: number;
}

export interface TopLevelStatement {
  node: Node;
  start: number;
  end: number;
  /** What it declares, if anything. */
  names: string[];
  kind:
    | 'import'
    | 'export'
    | 'function'
    | 'class'
    | 'const'
    | 'let'
    | 'var'
    | 'using'
    | 'enum'
    | 'namespace'
    | 'type'
    | 'statement';
}

export interface Outline {
  parsed: Parsed;
  imports: ImportEntry[];
  exports: ExportEntry[];
  /** Specifiers of `import('…')` and `require('…')` calls with a literal. */
  dynamicImports: { specifier: string; start: number; end: number; call: 'import' | 'require' }[];
  functions: FunctionInfo[];
  classes: ClassInfo[];
  statements: TopLevelStatement[];
  /** Names whose kind is asked for with `typeof`, wherever: whoever asks copes with their not being there. */
  asked: Set<string>;
  /** References to top-level names and to the names listed in {@link WATCHED}. */
  references: Reference[];
  /** Names bound at the top level, without imports. */
  topLevel: Map<string, TopLevelStatement['kind']>;
  topLevelAwait: boolean;
  /** Types to erase; nothing else. */
  hasTypes: boolean;
  /** Syntax that the target does not run and that erasing does not help: JSX, enums, decorators, `using` … */
  needsTranslation: boolean;
  /** Of that, what does more than go or become a call: namespaces, decorators, accessors, `using`, fields that are assigned. */
  lowers: boolean;
  hasJsx: boolean;
  /** Namespaces that only TypeScript itself translates: in several parts, or with other names for what is in them. */
  needsCompiler: boolean;
  usesImportMeta: boolean;
}
