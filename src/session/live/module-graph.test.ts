import { executionOrder, extensionOf, importersOf, type ModuleGraph } from '#dist/session/live/module-graph.js';
import { outlineText } from '../../../test/stage.js';

/** A graph of modules by what each imports. */
function graphOf(imports: Record<string, string[]>, extensions: string[] = []): ModuleGraph {
  const running = new Map(
    Object.entries(imports).map(([file, list]) => [
      file,
      { outline: outlineText(file, list.map((one) => `import './${one}';\n`).join('')) },
    ]),
  );
  return {
    running,
    next: (file) => running.get(file)?.outline,
    localFile: (specifier) => specifier.replace('./', ''),
    extensions: new Set(extensions),
  };
}

const canal = { 'main.js': ['lock.js'], 'lock.js': ['gate.js', 'sill.js'], 'gate.js': ['sill.js'], 'sill.js': [] };

test('importers are those that import directly', () => {
  expect(importersOf(graphOf(canal), 'sill.js')).toEqual(['lock.js', 'gate.js']);
});

test('each is executed after what it imports', () => {
  expect(executionOrder(graphOf(canal), ['sill.js'])).toEqual(['sill.js', 'gate.js', 'lock.js', 'main.js']);
});

test('what belongs to an extension is executed with it, and its host stays', () => {
  const graph = graphOf(canal, ['gate.js']);
  expect(extensionOf(graph, 'gate.js')).toBe('gate.js');
  expect(extensionOf(graph, 'sill.js')).toBeUndefined();
  expect(executionOrder(graph, ['gate.js'])).toEqual(['gate.js']);
});

test('a circle comes to an end', () => {
  const graph = graphOf({ 'a.js': ['b.js'], 'b.js': ['a.js'] });
  expect(executionOrder(graph, ['a.js']).sort()).toEqual(['a.js', 'b.js']);
  expect(extensionOf(graph, 'a.js')).toBeUndefined();
});
