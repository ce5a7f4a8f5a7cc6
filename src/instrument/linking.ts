/** Links a text to other modules: where imported and late names are found, and which writes others are told of. */
import { eachChild, type Node } from '../syntax/node.js';
import type { Outline } from '../syntax/outline.js';
import type { LateMember } from './options.js';
import { linkOuterNames } from './outer-names.js';
import { memberText, type Walk } from './walk.js';

/** Rewrites the references to imported and late names for the registry. */
export function linkReferences(walk: Walk): void {
  const { facts, known, out } = walk;
  const { outline, options, names } = facts;
  const namespaces = importedPlaces(walk);
  for (const [name, place] of options.places ?? []) {
    known.places.set(name, place);
    namespaces.delete(name);
  }
  if (options.lateMembers && options.lateMembers.length > 0)
    linkPrivateNames(walk, outline.parsed.program!, options.lateMembers);
  for (const [name, key] of options.late ?? [])
    if (!known.places.has(name)) known.places.set(name, memberText(`${names.module}.late`, key));
  if (options.patchable) findConstantWrites(walk);
  if (outline.exports.length > 0) findExportedWrites(walk);
  if (options.root && options.scoped) linkOuterNames(walk, options.root);
  for (const reference of outline.references) {
    let place = known.places.get(reference.name);
    if (place === undefined || reference.use === 'export') continue;
    if (reference.use !== 'member' && reference.use !== 'jsx' && reference.use !== 'type')
      place = namespaces.get(reference.name) ?? place;
    known.placeAt.set(reference.start, place);
    const isCalled = reference.use === 'call' || reference.use === 'tag';
    if (reference.use === 'shorthand' || reference.shorthand)
      out.edits.replace(reference.start, reference.end, `${reference.name}:${place}`);
    else if (isCalled && /[.[]/.test(place.slice(facts.prefix.length)))
      out.edits.replace(reference.start, reference.end, `(0,${place})`);
    else out.edits.replace(reference.start, reference.end, place);
  }
}

/**
 * Finds places for imported names. Returns those of namespaces: members are read from the bindings, the object itself
 * is made when it is asked for.
 */
function importedPlaces({ facts, known, out }: Walk): Map<string, string> {
  const { outline, names, interop } = facts;
  if (!interop) out.links.push(...outline.imports.filter((entry) => !entry.typeOnly));
  const { places, namespaces } = placesOfImports(outline, names, interop);
  for (const [name, place] of places) known.places.set(name, place);
  return namespaces;
}

/** Code for the names that imports bind in linked code; `namespaces`: for the objects themselves. */
export function placesOfImports(
  { imports }: Outline,
  { imported, module }: { imported: string; module: string },
  interop: boolean,
): { places: Map<string, string>; namespaces: Map<string, string> } {
  const places = new Map<string, string>();
  const namespaces = new Map<string, string>();
  imports
    .filter((entry) => !entry.typeOnly)
    .forEach((entry, index) => {
      const from = `${imported}${index}`;
      for (const name of entry.names) {
        places.set(name.local, name.imported === '*' ? from : memberText(from, name.imported));
        if (name.imported === '*' && !interop) namespaces.set(name.local, `${module}.ns(${index})`);
      }
    });
  return { places, namespaces };
}

function findExportedWrites({ facts: { outline }, known }: Walk): void {
  const exported = new Set(outline.exports.filter((entry) => entry.from === undefined).map((entry) => entry.local));
  for (const { use, name, by } of outline.references)
    if (use === 'write' && exported.has(name) && /^(Assignment|Update)Expression$/.test(by!.type))
      known.exportedWrites.add(by!);
}

/** Only a patch assigns what the program declares as constant. */
export function findConstantWrites({ facts, known }: Walk): void {
  const { topLevel, references } = facts.outline;
  for (const reference of references)
    if (reference.use === 'write' && topLevel.get(reference.name) === 'const')
      known.constantWrites.set(reference.by!, reference.name);
}

/** Private names that the live class has not are found under symbols. */
function linkPrivateNames(walk: Walk, node: Node, late: readonly LateMember[]): void {
  const { facts, out } = walk;
  const property = node.type === 'BinaryExpression' ? node.left : node.property;
  if (property?.type === 'PrivateName') {
    const found = late.find(
      ({ name, start, end }) => name === `#${property.id.name as string}` && node.start >= start && node.end <= end,
    );
    if (found) {
      const symbol = memberText(`${facts.names.module}.late`, found.symbol);
      if (node.type === 'BinaryExpression') out.edits.replace(property.start, property.end, symbol);
      else {
        const dot = facts.text.lastIndexOf('.', property.start);
        out.edits.replace(node.optional === true ? dot + 1 : dot, property.end, `[${symbol}]`);
      }
    }
  }
  eachChild(node, (child) => linkPrivateNames(walk, child, late));
}
