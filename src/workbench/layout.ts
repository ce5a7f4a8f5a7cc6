/** Sizes and states of the window's panels, remembered in this browser. */

export interface Layout {
  /** Pixels. */
  side: number;
  dock: number;
  /** Lines stand close, or have air. */
  density: 'airy' | 'tight';
  /** Share of the width that the first of two files has. */
  split: number;
}

const FIRST: Layout = { side: 360, dock: 220, density: 'airy', split: 0.5 };
const KEY = 'layout';

/** What was chosen the last time. */
export function storedLayout(): Layout {
  try {
    const found = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Layout>;
    return {
      side: within(found.side, 200, 2000, FIRST.side),
      dock: within(found.dock, 80, 1600, FIRST.dock),
      density: found.density === 'tight' ? 'tight' : 'airy',
      split: within(found.split, 0.15, 0.85, FIRST.split),
    };
  } catch {
    return FIRST;
  }
}

export function storeLayout(layout: Layout): void {
  try {
    localStorage.setItem(KEY, JSON.stringify(layout));
  } catch {
    // What cannot be kept is chosen anew.
  }
}

function within(value: unknown, least: number, most: number, first: number): number {
  return typeof value === 'number' && value >= least && value <= most ? value : first;
}
