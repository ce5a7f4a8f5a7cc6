/** Declarations that were entered at a prompt and that no file has: they live beside the text of their module. */
import { giveWay, joinedText, type Joined } from '../../patch/entry.js';
import type { LiveModule } from '../../patch/live-module.js';
import type { Outline } from '../../syntax/outline.js';

export class EnteredDeclarations {
  private readonly byOutline = new WeakMap<Outline, Joined[]>();

  of(outline: Outline): readonly Joined[] {
    return this.byOutline.get(outline) ?? [];
  }

  set(outline: Outline, joined: Joined[]): void {
    this.byOutline.set(outline, joined);
  }

  /** True when something was entered for an outline, be it gone since. */
  has(outline: Outline): boolean {
    return this.byOutline.has(outline);
  }

  /**
   * The outline of a file that was saved, with what was entered for it.
   *
   * @param outlineOf the outline of a text of the file; undefined where it does not parse
   */
  carriedOver(module: LiveModule, outline: Outline, outlineOf: (text: string) => Outline | undefined): Outline {
    const joined = this.of(module.outline);
    if (joined.length === 0) return outline;
    const left = giveWay(joined, outline);
    const whole = left.length === 0 ? undefined : outlineOf(outline.parsed.text + joinedText(left));
    if (whole) this.byOutline.set(whole, left);
    return whole ?? outline;
  }

  /** A line (from 0) as it is told: what was entered stands in no file. */
  lineText(outline: Outline | undefined, line: number): string {
    const joined = outline ? this.of(outline) : [];
    if (!outline || joined.length === 0) return `line ${line + 1}`;
    const own = outline.parsed.text.slice(0, -joinedText(joined).length).split('\n').length;
    return line < own ? `line ${line + 1}` : `line ${line - own + 1} of what was entered`;
  }
}
