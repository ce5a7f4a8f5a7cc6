/** What a project asks of Mocha in its own settings, as Mocha itself reads them. */
import { createRequire } from 'node:module';
import { dirname } from 'node:path';
import { pathToFileURL } from 'node:url';
import { testScript } from '../../project/test-script.js';
import { required, type FrameworkParts, type Loose } from './parts.js';

/** Settings that count for one file. */
const TAKEN = ['ui', 'timeout', 'retries', 'slow', 'bail', 'asyncOnly', 'forbidOnly', 'forbidPending', 'checkLeaks'];

/** Loaders of TypeScript and the like: files are translated before they come here. */
const LOADERS = /(?:^|\/)(?:ts-node|tsx|@swc-node|@babel\/register|esbuild-register|coffeescript|source-map-support)\b/;

export interface MochaOptions extends Loose {
  /** Loads what the settings name to be loaded first, one after the other. */
  require: (() => Promise<void>)[];
}

export function mochaOptions(parts: FrameworkParts): MochaOptions {
  const { from } = parts.packages.find(({ specifier }) => specifier === 'mocha')!;
  const require = createRequire(from);
  let found: Loose = {};
  try {
    const options = required(
      { ...parts, packages: [{ specifier: 'mocha/lib/cli/options', from }] },
      'mocha/lib/cli/options',
    );
    found = (options.loadOptions as (argv: string[]) => Loose)(testScript(parts.file, 'mocha').words);
  } catch {
    // Mocha's settings cannot be read here: its own defaults hold, as where there are none.
  }
  const taken: Loose = {};
  for (const name of TAKEN) if (found[name] !== undefined) taken[name] = found[name];
  const first = ([] as unknown[]).concat(found.require ?? []).filter((one): one is string => typeof one === 'string');
  return {
    ...taken,
    require: first
      .filter((one) => !LOADERS.test(one))
      .map((one) => async () => {
        const path = require.resolve(one, { paths: [process.cwd(), dirname(parts.file)] });
        const given = (await import(pathToFileURL(path).href)) as {
          mochaHooks?: Loose;
          default?: { mochaHooks?: Loose };
        };
        rootHooks(given.mochaHooks ?? given.default?.mochaHooks);
      }),
  };
}

const HOOKS: Readonly<Record<string, string>> = {
  beforeAll: 'before',
  afterAll: 'after',
  beforeEach: 'beforeEach',
  afterEach: 'afterEach',
};

/** Hooks around all tests, which a file that is loaded first may export. */
function rootHooks(hooks: Loose | undefined): void {
  for (const [name, as] of Object.entries(HOOKS))
    for (const hook of ([] as unknown[]).concat(hooks?.[name] ?? []))
      if (typeof hook === 'function') ((globalThis as Loose)[as] as (hook: unknown) => void)(hook);
}
