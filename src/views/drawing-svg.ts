/**
 * A recorded drawing as SVG. Paths, rectangles, text, transforms, plain colours
 * and linear gradients are drawn; what else a drawing asked for is said below it.
 */
import type { DrawCall } from '../wire/reports.js';
import { escape } from './escape.js';

type Matrix = [number, number, number, number, number, number];

interface State {
  fill: string;
  stroke: string;
  width: number;
  alpha: number;
  font: string;
  align: string;
  dash: string;
  matrix: Matrix;
}

const times = (a: Matrix, b: Matrix): Matrix => [
  a[0] * b[0] + a[2] * b[1],
  a[1] * b[0] + a[3] * b[1],
  a[0] * b[2] + a[2] * b[3],
  a[1] * b[2] + a[3] * b[3],
  a[0] * b[4] + a[2] * b[5] + a[4],
  a[1] * b[4] + a[3] * b[5] + a[5],
];

const UNTOUCHED: Matrix = [1, 0, 0, 1, 0, 0];

const fresh = (): State => ({
  fill: '#000000',
  stroke: '#000000',
  width: 1,
  alpha: 1,
  font: '10px sans-serif',
  align: 'start',
  dash: '',
  matrix: UNTOUCHED,
});

/** A number of a call, to three digits; 0 where it is none. */
const n = (value: unknown): number =>
  typeof value === 'number' && Number.isFinite(value) ? Math.round(value * 1000) / 1000 : 0;

/** Draws what a pad drew; what it cannot draw is named below. */
export function drawingSvg(calls: readonly DrawCall[], width: number, height: number): string {
  const drawing = new Drawing(width, height);
  for (const [name, ...args] of calls) drawing.take(String(name), args);
  return drawing.svg();
}

class Drawing {
  private state = fresh();
  private readonly saved: State[] = [];
  private path = '';
  private readonly out: string[] = [];
  private readonly gradients: { kind: string; points: number[]; stops: string[] }[] = [];
  private readonly left = new Set<string>();

  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {}

  take(name: string, args: readonly unknown[]): void {
    const taken = this.style(name, args) || this.trace(name, args) || this.paint(name, args) || this.move(name, args);
    if (!taken) this.left.add(name);
  }

  /** Colours, widths, fonts, and their being saved. */
  private style(name: string, args: readonly unknown[]): boolean {
    const { state } = this;
    switch (name) {
      case '=':
        if (args[0] === 'fillStyle') state.fill = colour(args[1]);
        else if (args[0] === 'strokeStyle') state.stroke = colour(args[1]);
        else if (args[0] === 'lineWidth') state.width = n(args[1]);
        else if (args[0] === 'globalAlpha') state.alpha = n(args[1]);
        else if (args[0] === 'font') state.font = String(args[1]);
        else if (args[0] === 'textAlign') state.align = String(args[1]);
        return true;
      case 'save':
        this.saved.push({ ...state });
        return true;
      case 'restore':
        this.state = this.saved.pop() ?? state;
        return true;
      case 'setLineDash':
        state.dash = Array.isArray(args[0]) ? args[0].map(n).join(' ') : '';
        return true;
      case 'reset':
        this.state = fresh();
        this.out.length = 0;
        return true;
      case 'linear':
      case 'radial':
        this.gradients[args[0] as number] = { kind: name, points: args.slice(1).map(n), stops: [] };
        return true;
      case 'stop':
        this.gradients[args[0] as number]?.stops.push(
          `<stop offset="${n(args[1])}" stop-color="${escape(String(args[2]))}"/>`,
        );
        return true;
      default:
        return false;
    }
  }

  /** Steps of the path. */
  private trace(name: string, args: readonly unknown[]): boolean {
    const [a, b, c, d] = args.map(n) as [number, number, number, number];
    switch (name) {
      case 'beginPath':
        this.path = '';
        return true;
      case 'closePath':
        this.path += 'Z';
        return true;
      case 'moveTo':
        this.path += `M${a} ${b}`;
        return true;
      case 'lineTo':
        this.path += `${this.path === '' ? 'M' : 'L'}${a} ${b}`;
        return true;
      case 'bezierCurveTo':
        this.path += `C${args.map(n).join(' ')}`;
        return true;
      case 'quadraticCurveTo':
        this.path += `Q${args.map(n).join(' ')}`;
        return true;
      case 'rect':
        this.path += `M${a} ${b}h${c}v${d}h${-c}Z`;
        return true;
      case 'arc':
        this.arc(args);
        return true;
      default:
        return false;
    }
  }

  private arc(args: readonly unknown[]): void {
    const [a, b, c, d, e] = args.map(n) as [number, number, number, number, number];
    const turn = args[5] === true ? -1 : 1;
    const whole = Math.abs(e - d) >= Math.PI * 2 - 1e-6;
    const to = whole ? d + turn * Math.PI : e;
    const at = (angle: number): string => `${n(a + c * Math.cos(angle))} ${n(b + c * Math.sin(angle))}`;
    const span = turn > 0 ? (to - d + Math.PI * 4) % (Math.PI * 2) : (d - to + Math.PI * 4) % (Math.PI * 2);
    const sweep = turn > 0 ? 1 : 0;
    this.path +=
      `${this.path === '' || this.path.endsWith('Z') ? 'M' : 'L'}${at(d)}A${c} ${c} ` +
      `0 ${span > Math.PI ? 1 : 0} ${sweep} ${at(to)}`;
    if (whole) this.path += `A${c} ${c} 0 0 ${sweep} ${at(d)}`;
  }

  /** What becomes visible. */
  private paint(name: string, args: readonly unknown[]): boolean {
    const { out, state } = this;
    const [a, b, c, d] = args.map(n) as [number, number, number, number];
    switch (name) {
      case 'fill':
      case 'stroke':
        if (this.path !== '') out.push(`<path d="${this.path}" ${this.attributes(name)}/>`);
        return true;
      case 'fillRect':
      case 'strokeRect':
        out.push(
          `<rect x="${c < 0 ? a + c : a}" y="${d < 0 ? b + d : b}" width="${Math.abs(c)}" ` +
            `height="${Math.abs(d)}" ${this.attributes(name === 'fillRect' ? 'fill' : 'stroke')}/>`,
        );
        return true;
      case 'clearRect':
        if (a > 0 || b > 0 || c < this.width || d < this.height) return false;
        out.length = 0;
        return true;
      case 'fillText':
      case 'strokeText': {
        const [, size = '10', family = 'sans-serif'] = /([\d.]+)px\s+(.+)$/.exec(state.font) ?? [];
        const anchor =
          state.align === 'center' ? 'middle' : state.align === 'right' || state.align === 'end' ? 'end' : 'start';
        const kind = name === 'fillText' ? 'fill' : 'stroke';
        out.push(
          `<text x="${b}" y="${c}" font-size="${n(Number(size))}" font-family="${escape(family)}" ` +
            `text-anchor="${anchor}" ${this.attributes(kind)}>${escape(String(args[0]))}</text>`,
        );
        return true;
      }
      default:
        return false;
    }
  }

  /** Transforms of what is drawn from here on. */
  private move(name: string, args: readonly unknown[]): boolean {
    const { state } = this;
    const [a, b] = args.map(n) as [number, number];
    const turn = (by: Matrix): void => void (state.matrix = times(state.matrix, by));
    switch (name) {
      case 'translate':
        turn([1, 0, 0, 1, a, b]);
        return true;
      case 'scale':
        turn([a, 0, 0, b, 0, 0]);
        return true;
      case 'rotate':
        turn([Math.cos(a), Math.sin(a), -Math.sin(a), Math.cos(a), 0, 0]);
        return true;
      case 'transform':
        turn(args.map(n) as Matrix);
        return true;
      case 'setTransform':
        state.matrix = args.length === 6 ? (args.map(n) as Matrix) : UNTOUCHED;
        return true;
      case 'resetTransform':
        state.matrix = UNTOUCHED;
        return true;
      default:
        return false;
    }
  }

  private attributes(kind: 'fill' | 'stroke'): string {
    const { fill, stroke, width, dash, alpha, matrix } = this.state;
    return [
      kind === 'fill'
        ? `fill="${escape(fill)}"`
        : `fill="none" stroke="${escape(stroke)}" stroke-width="${n(width)}"` +
          (dash === '' ? '' : ` stroke-dasharray="${dash}"`),
      alpha === 1 ? '' : ` opacity="${n(alpha)}"`,
      matrix.join(',') === UNTOUCHED.join(',') ? '' : ` transform="matrix(${matrix.map(n).join(' ')})"`,
    ].join('');
  }

  svg(): string {
    const defs = this.gradients.map(({ kind, points, stops }, id) =>
      kind === 'linear'
        ? `<linearGradient id="g${id}" gradientUnits="userSpaceOnUse" x1="${points[0]}" y1="${points[1]}" ` +
          `x2="${points[2]}" y2="${points[3]}">${stops.join('')}</linearGradient>`
        : `<radialGradient id="g${id}" gradientUnits="userSpaceOnUse" cx="${points[3]}" cy="${points[4]}" ` +
          `r="${points[5]}">${stops.join('')}</radialGradient>`,
    );
    const { width, height, left } = this;
    const note = left.size > 0 ? `<p class="dim">Not drawn here: ${escape([...left].join(', '))}.</p>` : '';
    const drawn = `${defs.length > 0 ? `<defs>${defs.join('')}</defs>` : ''}${this.out.join('')}`;
    return (
      `<svg width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" role="img" aria-label="a ` +
      `drawing">${drawn}</svg>${note}`
    );
  }
}

function colour(value: unknown): string {
  if (typeof value === 'string') return value;
  return typeof value === 'object' && value !== null && 'gradient' in value
    ? `url(#g${(value as { gradient: number }).gradient})`
    : '#000000';
}
