/** What the object `vi` does to modules. */
import { automocked } from './automock.js';
import type { FrameworkParts, Fn, Loose } from './parts.js';

type Factory = (original: <T>() => Promise<T>) => unknown;

interface Vi extends Loose {
  fn(original?: Fn): Fn;
}

/** Puts what replaces modules into the object `vi`, for the run that begins. */
export function replaceByVi(parts: FrameworkParts, vi: Vi): void {
  const { replacing, caller } = parts;
  const make = (original: Fn | undefined): Fn => vi.fn(original);
  const actual = (specifier: string, from: string): Promise<Loose> => replacing.load(specifier, from) as Promise<Loose>;
  const mock = (given: unknown, how?: Factory | { spy?: boolean }): void => {
    const from = caller();
    const specifier = nameOf(given, 'mock');
    if (typeof how === 'function') {
      const view = (made: unknown): Loose => strictView(made, specifier);
      replacing.replace(specifier, from, { make: () => how(() => actual(specifier, from) as never), view });
      return;
    }
    const written = how?.spy ? undefined : replacing.written(specifier, from);
    const automock = async (): Promise<Loose> =>
      written === undefined
        ? automocked(await actual(specifier, from), make, how?.spy === true)
        : ((await replacing.load(written, from)) as Loose);
    replacing.replace(specifier, from, { make: automock, view: (made) => made as Loose });
  };
  const unmock = (given: unknown): void => replacing.restore(nameOf(given, 'unmock'), caller());
  Object.assign(vi, {
    mock,
    doMock: mock,
    unmock,
    doUnmock: unmock,
    importActual: (given: unknown) => actual(nameOf(given, 'importActual'), caller()),
    async importMock(given: unknown) {
      const from = caller();
      return automocked(await actual(nameOf(given, 'importMock'), from), make, false);
    },
    mockObject: (value: Loose, options?: { spy?: boolean }) => automocked({ value }, make, options?.spy === true).value,
    resetModules() {
      replacing.forget(parts.entries, false);
      return vi;
    },
    dynamicImportSettled: () => new Promise((resolve) => setTimeout(resolve, 0)),
  });
}

function nameOf(given: unknown, verb: string): string {
  if (typeof given === 'string') return given;
  throw new TypeError(
    `vi.${verb}() expects a string path, but received a ${given === null ? 'null' : given instanceof Promise ? 'promise' : typeof given}`,
  );
}

/** Vitest's own words for what a factory leaves out, because tests compare them. */
function strictView(made: unknown, specifier: string): Loose {
  if (typeof made !== 'object' || made === null || Array.isArray(made))
    throw new TypeError(
      `[vitest] vi.mock("${specifier}", factory?: () => unknown) is not returning an object. Did you mean to return an object with a "default" key?`,
    );
  return new Proxy(made as Loose, {
    get(target, name, receiver) {
      if (typeof name !== 'string' || name === 'then' || name in target)
        return Reflect.get(target, name, receiver) as unknown;
      throw new Error(
        `[vitest] No "${name}" export is defined on the "${specifier}" mock. Did you forget to return it from "vi.mock"?
If you need to partially mock a module, you can use "importOriginal" helper inside:

vi.mock(import("${specifier}"), async (importOriginal) => {
  const actual = await importOriginal()
  return {
    ...actual,
    // your mocked methods
  }
})
`,
      );
    },
  });
}
