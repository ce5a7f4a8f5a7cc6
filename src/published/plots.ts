/** Entry of a script of its own: the library of plots. */
import UPlot from 'uplot';

(globalThis as { usherAnvilPlots?: typeof UPlot }).usherAnvilPlots = UPlot;
