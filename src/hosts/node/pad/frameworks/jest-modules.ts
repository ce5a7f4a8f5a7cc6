/** What the object `jest` does to modules. */
import type { FrameworkParts, Fn, Loose } from './parts.js';

/** Of `jest-mock`. */
export interface Automocker {
  generateFromMetadata(metadata: unknown): unknown;
  getMetadata(value: unknown): unknown;
}

type Factory = () => unknown;

/** @param self gives the object for chains */
export function jestModules(parts: FrameworkParts, mocker: Automocker, self: () => Loose): Loose {
  const { replacing, caller } = parts;
  const automock = (specifier: string, from: string): unknown =>
    mocker.generateFromMetadata(mocker.getMetadata(replacing.actual(specifier, from)) ?? {});
  const put = (specifier: string, from: string, make: Factory): Loose => {
    replacing.replace(named(specifier), from, { make, view: importedView });
    return self();
  };
  const mock = (specifier: string, factory?: Factory): Loose => {
    const from = caller();
    if (typeof factory === 'function') return put(specifier, from, factory);
    const written = replacing.written(named(specifier), from);
    return put(specifier, from, () =>
      written === undefined ? automock(specifier, from) : replacing.actual(written, from),
    );
  };
  const unmock = (specifier: string): Loose => {
    replacing.restore(named(specifier), caller());
    return self();
  };
  const create = (specifier: string): unknown => automock(named(specifier), caller());
  return {
    mock,
    doMock: mock,
    unmock,
    deepUnmock: unmock,
    dontMock: unmock,
    setMock: (specifier: string, value: unknown) => put(specifier, caller(), () => value),
    requireActual: (specifier: string) => replacing.actual(named(specifier), caller()),
    requireMock(specifier: string) {
      const from = caller();
      return (replacing.required(named(specifier), from) ?? { value: automock(specifier, from) }).value;
    },
    createMockFromModule: create,
    genMockFromModule: create,
    unstable_mockModule(specifier: string, factory: Factory) {
      replacing.replace(named(specifier), caller(), { make: factory, view: (made) => made as Loose });
      return self();
    },
    unstable_unmockModule: unmock,
    resetModules() {
      replacing.forget(parts.entries, true);
      return self();
    },
    isolateModules(work: Fn) {
      const bring = replacing.forget(parts.entries, true);
      try {
        work();
      } finally {
        bring();
      }
      return self();
    },
    async isolateModulesAsync(work: Fn) {
      const bring = replacing.forget(parts.entries, true);
      try {
        await work();
      } finally {
        bring();
      }
    },
  };
}

function named(specifier: unknown): string {
  if (typeof specifier !== 'string')
    throw new TypeError(`moduleName must be a string, and it is ${specifier === null ? 'null' : typeof specifier}`);
  return specifier;
}

/** What importing code sees of what `require` gives, as compilers have it. */
function importedView(made: unknown): Loose {
  if (typeof made !== 'function' && (typeof made !== 'object' || made === null)) return { default: made };
  const exports = made as Loose;
  if (exports.__esModule || exports[Symbol.toStringTag as never] === 'Module') return exports;
  const view: Loose = {};
  for (const name of Object.keys(exports))
    Object.defineProperty(view, name, { get: () => exports[name], enumerable: true, configurable: true });
  Object.defineProperty(view, 'default', { value: exports, enumerable: true, configurable: true });
  return view;
}
