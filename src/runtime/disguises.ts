/** `toString` of functions that stand for others, and of instrumented ones, gives the person's own text. */
import type { SourceTexts } from './modules/texts.js';
import * as own from './originals.js';

export class Disguises {
  private readonly originals = own.safeWeakMap<object, object>();

  /** Gives a function of ours the text, the name and the length of the one it stands for. */
  set(made: object, original: object): void {
    this.originals.set(made, original);
    if (typeof made !== 'function' || typeof original !== 'function') return;
    this.align(made, original, 'name');
    this.align(made, original, 'length');
  }

  private align(made: object, original: object, key: 'name' | 'length'): void {
    const ours = own.getDescriptor(made, key);
    const theirs = own.getDescriptor(original, key);
    if (theirs && ours?.configurable !== false && ours?.value !== theirs.value) own.defineProperty(made, key, theirs);
  }

  /** Replaces the global `toString` of functions. */
  install(texts: SourceTexts): void {
    const { originals } = this;
    const native = own.functionText;
    const replacement = {
      toString(this: (...args: unknown[]) => unknown): string {
        const hidden = originals.get(this);
        return hidden ? native(hidden as () => void) : (texts.originalText(native(this)) ?? native(this));
      },
    }.toString;
    this.set(replacement, own.getDescriptor(own.FunctionPrototype, 'toString')!.value as object);
    own.defineProperty(own.FunctionPrototype, 'toString', {
      value: replacement,
      writable: true,
      enumerable: false,
      configurable: true,
    });
  }
}
