/** Imports, exports and the other statements of the top level. */
import { boundNames, type Node } from '../node.js';
import type { ExportEntry, ImportEntry, ImportName, Outline, TopLevelStatement } from './data.js';
import { nameOf } from './names.js';

export function collectTopLevel(program: Node, outline: Outline): void {
  const add = (node: Node, kind: TopLevelStatement['kind'], names: string[] = []): void => {
    outline.statements.push({ node, start: node.start, end: node.end, names, kind });
    if (kind !== 'type' && kind !== 'import') for (const name of names) outline.topLevel.set(name, kind);
  };
  for (const node of program.body as Node[]) {
    switch (node.type) {
      case 'ImportDeclaration':
        outline.imports.push(importOf(node));
        add(node, 'import');
        break;
      case 'ExportAllDeclaration':
        if (node.exportKind === 'type') add(node, 'type');
        else {
          outline.imports.push({ ...sourceOf(node), names: [], typeOnly: false, reexport: true });
          outline.exports.push({ exported: '*', local: '*', from: node.source.value });
          add(node, 'export');
        }
        break;
      case 'ExportNamedDeclaration':
        if (node.exportKind === 'type') {
          outline.hasTypes = true;
          add(node, 'type');
        } else if (node.declaration) {
          const { kind, names } = declarationOf(node.declaration);
          add(node, kind, names);
          if (kind !== 'type') for (const name of names) outline.exports.push({ exported: name, local: name });
        } else {
          if (node.source) outline.imports.push({ ...sourceOf(node), names: [], typeOnly: false, reexport: true });
          for (const specifier of node.specifiers as Node[]) {
            if (specifier.exportKind === 'type') continue;
            const exported = nameOf(specifier.exported);
            if (specifier.type === 'ExportNamespaceSpecifier')
              outline.exports.push({ exported, local: '*', from: node.source.value });
            else {
              const entry: ExportEntry = { exported, local: nameOf(specifier.local) };
              if (node.source) entry.from = node.source.value;
              outline.exports.push(entry);
            }
          }
          add(node, 'export');
        }
        break;
      case 'ExportDefaultDeclaration': {
        const { declaration } = node;
        const local =
          (declaration.type === 'FunctionDeclaration' || declaration.type === 'ClassDeclaration') && declaration.id
            ? declaration.id.name
            : undefined;
        if (declaration.type === 'TSInterfaceDeclaration' || declaration.type === 'TSDeclareFunction')
          add(node, 'type');
        else {
          outline.exports.push({ exported: 'default', local: local ?? '*default*' });
          add(
            node,
            local === undefined ? 'export' : declaration.type === 'ClassDeclaration' ? 'class' : 'function',
            local === undefined ? [] : [local],
          );
        }
        break;
      }
      default: {
        const { kind, names } = declarationOf(node);
        add(node, kind, names);
      }
    }
  }
  // `var` and functions nested in top-level blocks (sloppy) are rare enough to be seen by name only.
}

function declarationOf(node: Node): { kind: TopLevelStatement['kind']; names: string[] } {
  switch (node.type) {
    case 'VariableDeclaration': {
      if (node.declare) return { kind: 'type', names: [] };
      const names = (node.declarations as Node[]).flatMap((declarator) =>
        boundNames(declarator.id).map((id) => id.name as string),
      );
      return { kind: node.kind === 'await using' ? 'using' : node.kind, names };
    }
    case 'FunctionDeclaration':
      return { kind: 'function', names: node.id ? [node.id.name] : [] };
    case 'ClassDeclaration':
      return node.declare ? { kind: 'type', names: [] } : { kind: 'class', names: node.id ? [node.id.name] : [] };
    case 'TSEnumDeclaration':
      return node.declare ? { kind: 'type', names: [] } : { kind: 'enum', names: [node.id.name] };
    case 'TSModuleDeclaration':
      return node.declare || node.id.type !== 'Identifier' || !holdsValues(node)
        ? { kind: 'type', names: [] }
        : { kind: 'namespace', names: [node.id.name] };
    case 'TSImportEqualsDeclaration':
      // Like a namespace it is made once and not again.
      return node.importKind === 'type' ? { kind: 'type', names: [] } : { kind: 'namespace', names: [node.id.name] };
    default:
      return { kind: /^TS(Interface|TypeAlias|Declare)/.test(node.type) ? 'type' : 'statement', names: [] };
  }
}

/** A namespace of types alone leaves nothing behind. */
function holdsValues(node: Node): boolean {
  const { body } = node;
  if (!body) return false;
  if (body.type !== 'TSModuleBlock') return holdsValues(body);
  return (body.body as Node[]).some((inner) => {
    const declared = inner.type === 'ExportNamedDeclaration' && inner.declaration ? inner.declaration : inner;
    return (
      !/^TS(Interface|TypeAlias|Declare)/.test(declared.type) &&
      !(declared.type === 'TSModuleDeclaration' && !holdsValues(declared))
    );
  });
}

function importOf(node: Node): ImportEntry {
  const names: ImportName[] = [];
  let types = 0;
  for (const specifier of node.specifiers as Node[]) {
    if (specifier.importKind === 'type') {
      types++;
      continue;
    }
    names.push({
      local: specifier.local.name,
      imported:
        specifier.type === 'ImportDefaultSpecifier'
          ? 'default'
          : specifier.type === 'ImportNamespaceSpecifier'
            ? '*'
            : nameOf(specifier.imported),
      start: specifier.start,
      end: specifier.end,
    });
  }
  const typeOnly = node.importKind === 'type' || (types > 0 && names.length === 0);
  return { ...sourceOf(node), names, typeOnly, reexport: false };
}

function sourceOf(node: Node): Pick<ImportEntry, 'specifier' | 'start' | 'end' | 'attributes' | 'at'> {
  const attributes: Record<string, string> = {};
  for (const attribute of (node.attributes ?? []) as Node[]) attributes[nameOf(attribute.key)] = attribute.value.value;
  return {
    specifier: node.source.value,
    start: node.start,
    end: node.end,
    attributes,
    at: { start: node.source.start, end: node.source.end },
  };
}

/** As TypeScript does: a name imported but never used as a value is taken for a type. A bare `import './x'` stays. */
export function dropUnusedImports(outline: Outline, used: ReadonlySet<string>): void {
  const { settings, text } = outline.parsed;
  const pragmas = [...text.slice(0, 2_000).matchAll(/@jsx(?:Frag)?\s+([\w$]+)/g)].map((match) => match[1]!);
  const factories = [
    'React',
    ...[settings?.jsxFactory, settings?.jsxFragmentFactory].flatMap((name) => name?.split('.')[0] ?? []),
    ...pragmas,
  ];
  for (const entry of outline.imports) {
    if (entry.typeOnly || entry.names.length === 0 || entry.reexport) continue;
    entry.names = entry.names.filter(
      (name) => used.has(name.local) || (outline.hasJsx && factories.includes(name.local)),
    );
    if (entry.names.length === 0) entry.typeOnly = true;
  }
}
