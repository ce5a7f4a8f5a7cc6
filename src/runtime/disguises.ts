/** `toString` of functions that stand for others, and of instrumented ones, gives the person's own text. */
import type { SourceTexts } from './modules/texts.js';
import * as own from './originals.js';

export class Disguises {
  private readonly originals = own.safeWeakMap<object, object>();

  /** Gives a function of ours the text of the one it stands for. */
  set(made: object, original: object): void {
    this.originals.set(made, original);
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
    own.defineProperty(own.FunctionPrototype, 'toString', {
      value: replacement,
      writable: true,
      enumerable: false,
      configurable: true,
    });
  }
}
