/** In place of the library of plots, which comes in a part of its own when the first one is drawn. */
import type UPlot from 'uplot';
import { loadPart } from '../parts.js';

export default class LaterPlot {
  private made: UPlot | undefined;
  private isOver = false;

  constructor(
    private options: UPlot.Options,
    private data: UPlot.AlignedData,
    element: HTMLElement,
  ) {
    void loadPart('plots').then(() => {
      const { usherAnvilPlots: Made } = globalThis as { usherAnvilPlots?: typeof UPlot };
      if (!this.isOver && Made) this.made = new Made(this.options, this.data, element);
    });
  }

  setData(data: UPlot.AlignedData): void {
    this.data = data;
    this.made?.setData(data);
  }

  setSize(size: { width: number; height: number }): void {
    this.options = { ...this.options, ...size };
    this.made?.setSize(size);
  }

  destroy(): void {
    this.isOver = true;
    this.made?.destroy();
  }
}
