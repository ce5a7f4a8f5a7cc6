/** Where functions of versions that report stood when they were compiled: calls of former versions may still run. */
import type { Outline } from '../../syntax/outline.js';
import { LineTable } from '../../syntax/positions.js';
import type { Part } from './observed-parts.js';

/** Units that are known: those of former versions are forgotten, the oldest first. */
const MOST = 500;

export class PlacedUnits {
  private readonly units = new Map<number, { lines: LineTable; parts: Pick<Part, 'path' | 'text' | 'start'>[] }>();

  add(unit: number, lines: LineTable, parts: readonly Part[]): void {
    this.units.set(unit, { lines, parts: parts.map(({ path, text, start }) => ({ path, text, start })) });
    for (const oldest of this.units.keys()) {
      if (this.units.size <= MOST) break;
      this.units.delete(oldest);
    }
  }

  /** Where a line of a unit's text stands in a text of now; undefined where its function is gone. */
  presentLine(unit: number, line: number, outline: Outline): number | undefined {
    const placed = this.units.get(unit);
    if (!placed) return undefined;
    const now = new LineTable(outline.parsed.text);
    let best: { size: number; line: number } | undefined;
    for (const { path, text, start } of placed.parts) {
      const info = outline.functions.find((one) => one.path === path);
      const first = placed.lines.lineAt(start);
      const last = placed.lines.lineAt(start + text.length);
      if (!info || line < first || line > last || (best && best.size <= text.length)) continue;
      best = { size: text.length, line: line + now.lineAt(info.start) - first };
    }
    return best?.line;
  }
}
