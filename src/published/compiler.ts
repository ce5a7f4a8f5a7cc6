/** Entry of a script of its own: what types decide, translated in the page. Enums, parameter properties, elements. */
import { decodedMappings, TraceMap, type SourceMapInput, type SourceMapSegment } from '@jridgewell/trace-mapping';
import { transform, type Options } from 'sucrase';
import type { Compile } from '../hosts/alone/index.js';
import { putCompiler } from './compilers.js';

const compile: Compile = (code, { jsx, typescript, tsx, file }) => {
  const options: Options = {
    transforms: [...(typescript ? (['typescript'] as const) : []), ...(tsx || !typescript ? (['jsx'] as const) : [])],
    filePath: file,
    disableESTransforms: true,
    keepUnusedImports: true,
    preserveDynamicImport: true,
    sourceMapOptions: { compiledFilename: file },
    ...('source' in jsx
      ? { jsxRuntime: 'automatic', jsxImportSource: jsx.source, production: !jsx.development }
      : { jsxRuntime: 'classic', jsxPragma: jsx.factory, jsxFragmentPragma: jsx.fragment }),
  };
  const { code: made, sourceMap } = transform(code, options);
  return withOwnLines(made, sourceMap!);
};

/** Imports of functions for elements stand on lines of their own, as other translators have them. */
function withOwnLines(
  code: string,
  map: NonNullable<ReturnType<typeof transform>['sourceMap']>,
): { code: string; map: string } {
  const [helpers = ''] = /^(?:import \{[^}]*\} from "[^"]*"; *)+/.exec(code) ?? [];
  if (helpers === '') return { code, map: JSON.stringify(map) };
  const lines = helpers.trimEnd().replace(/; */g, ';\n');
  const [first = [], ...others] = decodedMappings(new TraceMap(map as SourceMapInput));
  const moved = first.map(([column, ...rest]) => [column - helpers.length, ...rest] as SourceMapSegment);
  const before = lines.split('\n').slice(1);
  return {
    code: lines + code.slice(helpers.length),
    map: JSON.stringify({ ...map, mappings: [...before.map(() => []), moved, ...others] }),
  };
}

putCompiler('compiler', compile);
