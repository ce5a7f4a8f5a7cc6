/** What a published page carries: `usher-anvil/published@1`. */
import { z } from 'zod';
import type { ProjectSettings } from '../syntax/settings.js';

export const PUBLISHED = 'usher-anvil/published@1';

const flag = z.boolean();
const word = z.string().max(200);
/** Compiler settings of the project that decide how its files run. */
export const settings = z.object({
  module: z.enum(['commonjs', 'esm', 'node']),
  ...{ esModuleInterop: flag, experimentalDecorators: flag, emitDecoratorMetadata: flag },
  ...{ useDefineForClassFields: flag, verbatimModuleSyntax: flag },
  jsx: z.enum(['classic', 'automatic', 'development']),
  ...{ jsxFactory: word, jsxFragmentFactory: word, jsxImportSource: word, from: word },
}) satisfies z.ZodType<ProjectSettings>;

export const published = z.object({
  format: z.literal(PUBLISHED),
  /** Path of the pad; its folder is `/`. */
  pad: z.string().startsWith('/'),
  /** Texts by path; of other files their bytes, as base64. */
  files: z.record(z.string().startsWith('/'), z.union([z.string(), z.object({ base64: z.string() })])),
  packages: z.object({
    names: z.array(z.string()),
    /** A script that declares an object `packages` of them. */
    code: z.string(),
    /** Why some that are imported are not among them, by specifier and folder. */
    broken: z.record(z.string(), z.string()).optional(),
  }),
  /** What the project adds: languages, marks and views. */
  additions: z
    .object({
      /** A script that declares an object `additions` of them, by kind. */
      code: z.string(),
      /** How files of its languages look in the editor. */
      languages: z.array(
        z.object({
          name: z.string(),
          extensions: z.array(z.string()),
          comment: z.string(),
          keywords: z.array(z.string()),
          mode: z.enum(['html', 'javascript']).optional(),
          place: z.literal('page').optional(),
        }),
      ),
    })
    .optional(),
  settings: settings.optional(),
  /** A file of it needs the compiler. */
  compiles: z.boolean(),
  /** It needs the whole compiler, which lies beside the pages of a folder. */
  lowers: z.boolean().optional(),
  /** `type` of the project's `package.json`. */
  type: z.enum(['module', 'commonjs']).optional(),
  /** It is executed as soon as it is opened: a site of the author's own. */
  runs: z.boolean(),
  /** What windows were told of its last run. */
  last: z.array(z.looseObject({ type: z.string() })),
});
export type Published = z.infer<typeof published>;
