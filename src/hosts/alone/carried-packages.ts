/** Packages that came along with a published pad. */

type Namespace = Record<string, unknown>;

/** In no scope of ours. */
const evaluate = globalThis.eval;

/**
 * @param code gives a script that declares an object `packages` of them, by specifier, or by specifier and folder; it is
 * evaluated when the first is asked for
 * @returns gives one by specifier and the file that imports it; throws an Error for one that did not come along
 */
export function carriedPackages(code: () => string): (specifier: string, from: string) => Namespace {
  let packages: Record<string, Namespace> | undefined;
  return (specifier, from) => {
    packages ??= evaluate(`(()=>{${code()}\n;return packages})()`) as Record<string, Namespace>;
    const found = packages[`${specifier}\n${from.replace(/\/[^/]*$/, '')}`] ?? packages[specifier];
    if (!found) throw new Error(`the package ${specifier} was not published with this pad`);
    return found;
  };
}
