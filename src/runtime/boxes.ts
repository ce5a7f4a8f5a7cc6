/** Names that a module exports only since it was patched: the namespace of a module that stays an ES module takes no more. */
export class Boxes {
  private readonly boxes = new Map<string, Record<string, unknown>>();

  /** Where a file's later names are. */
  of(file: string): Record<string, unknown> {
    let box = this.boxes.get(file);
    if (!box) this.boxes.set(file, (box = Object.create(null) as Record<string, unknown>));
    return box;
  }

  /** A module's names, and those it exports only since it was patched. */
  joined(namespace: object, file: string): object {
    const box = this.of(file);
    return new Proxy(namespace, {
      get: (target, key) => (key in box ? box[key as string] : (Reflect.get(target, key) as unknown)),
      has: (target, key) => key in box || Reflect.has(target, key),
    });
  }
}
