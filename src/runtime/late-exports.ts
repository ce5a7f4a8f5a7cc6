/**
 * Names that a module exports only since it was patched: the namespace of a module that stays an ES module takes no
 * more.
 */
export class LateExports {
  private readonly objects = new Map<string, Record<string, unknown>>();

  /** Where a file's later names are. */
  of(file: string): Record<string, unknown> {
    let object = this.objects.get(file);
    if (!object) this.objects.set(file, (object = Object.create(null) as Record<string, unknown>));
    return object;
  }

  /** A module's names, and those it exports only since it was patched. */
  joined(namespace: object, file: string): object {
    const object = this.of(file);
    return new Proxy(namespace, {
      get: (target, key) => (key in object ? object[key as string] : (Reflect.get(target, key) as unknown)),
      has: (target, key) => key in object || Reflect.has(target, key),
    });
  }
}
