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

export function drawingSvg(calls: readonly DrawCall[], width: number, height: number): string {
  const fresh = (): State => ({
    fill: '#000000',
    stroke: '#000000',
    width: 1,
    alpha: 1,
    font: '10px sans-serif',
    align: 'start',
    dash: '',
    matrix: [1, 0, 0, 1, 0, 0],
  });
  let state = fresh();
  const saved: State[] = [];
  let path = '';
  const out: string[] = [];
  const gradients: { kind: string; points: number[]; stops: string[] }[] = [];
  const left = new Set<string>();
  const colour = (value: unknown): string =>
    typeof value === 'string'
      ? value
      : typeof value === 'object' && value !== null && 'gradient' in value
        ? `url(#g${(value as { gradient: number }).gradient})`
        : '#000000';
  const n = (value: unknown): number =>
    typeof value === 'number' && Number.isFinite(value) ? Math.round(value * 1000) / 1000 : 0;
  const attributes = (kind: 'fill' | 'stroke'): string =>
    `${kind === 'fill' ? `fill="${escape(state.fill)}"` : `fill="none" stroke="${escape(state.stroke)}" stroke-width="${n(state.width)}"${state.dash === '' ? '' : ` stroke-dasharray="${state.dash}"`}`}${state.alpha === 1 ? '' : ` opacity="${n(state.alpha)}"`}${state.matrix.join(',') === '1,0,0,1,0,0' ? '' : ` transform="matrix(${state.matrix.map(n).join(' ')})"`}`;
  for (const [name, ...args] of calls) {
    const [a, b, c, d, e] = args.map(n) as [number, number, number, number, number];
    switch (name) {
      case '=':
        if (args[0] === 'fillStyle') state.fill = colour(args[1]);
        else if (args[0] === 'strokeStyle') state.stroke = colour(args[1]);
        else if (args[0] === 'lineWidth') state.width = n(args[1]);
        else if (args[0] === 'globalAlpha') state.alpha = n(args[1]);
        else if (args[0] === 'font') state.font = String(args[1]);
        else if (args[0] === 'textAlign') state.align = String(args[1]);
        break;
      case 'save':
        saved.push({ ...state });
        break;
      case 'restore':
        state = saved.pop() ?? state;
        break;
      case 'beginPath':
        path = '';
        break;
      case 'closePath':
        path += 'Z';
        break;
      case 'moveTo':
        path += `M${a} ${b}`;
        break;
      case 'lineTo':
        path += `${path === '' ? 'M' : 'L'}${a} ${b}`;
        break;
      case 'bezierCurveTo':
        path += `C${args.map(n).join(' ')}`;
        break;
      case 'quadraticCurveTo':
        path += `Q${args.map(n).join(' ')}`;
        break;
      case 'rect':
        path += `M${a} ${b}h${c}v${d}h${-c}Z`;
        break;
      case 'arc': {
        const turn = args[5] === true ? -1 : 1;
        const whole = Math.abs(e - d) >= Math.PI * 2 - 1e-6;
        const to = whole ? d + turn * Math.PI : e;
        const at = (angle: number): string => `${n(a + c * Math.cos(angle))} ${n(b + c * Math.sin(angle))}`;
        const span = turn > 0 ? (to - d + Math.PI * 4) % (Math.PI * 2) : (d - to + Math.PI * 4) % (Math.PI * 2);
        const sweep = turn > 0 ? 1 : 0;
        path +=
          `${path === '' || path.endsWith('Z') ? 'M' : 'L'}${at(d)}A${c} ${c} ` +
          `0 ${span > Math.PI ? 1 : 0} ${sweep} ${at(to)}`;
        if (whole) path += `A${c} ${c} 0 0 ${sweep} ${at(d)}`;
        break;
      }
      case 'fill':
        if (path !== '') out.push(`<path d="${path}" ${attributes('fill')}/>`);
        break;
      case 'stroke':
        if (path !== '') out.push(`<path d="${path}" ${attributes('stroke')}/>`);
        break;
      case 'fillRect':
      case 'strokeRect':
        out.push(
          `<rect x="${c < 0 ? a + c : a}" y="${d < 0 ? b + d : b}" width="${Math.abs(c)}" ` +
            `height="${Math.abs(d)}" ${attributes(name === 'fillRect' ? 'fill' : 'stroke')}/>`,
        );
        break;
      case 'clearRect':
        if (a <= 0 && b <= 0 && c >= width && d >= height) out.length = 0;
        else left.add(name);
        break;
      case 'fillText':
      case 'strokeText': {
        const [, size = '10', family = 'sans-serif'] = /([\d.]+)px\s+(.+)$/.exec(state.font) ?? [];
        const anchor =
          state.align === 'center' ? 'middle' : state.align === 'right' || state.align === 'end' ? 'end' : 'start';
        out.push(
          `<text x="${b}" y="${c}" font-size="${n(Number(size))}" font-family="${escape(family)}" ` +
            `text-anchor="${anchor}" ${attributes(name === 'fillText' ? 'fill' : 'stroke')}>${escape(String(args[0]))}</text>`,
        );
        break;
      }
      case 'translate':
        state.matrix = times(state.matrix, [1, 0, 0, 1, a, b]);
        break;
      case 'scale':
        state.matrix = times(state.matrix, [a, 0, 0, b, 0, 0]);
        break;
      case 'rotate':
        state.matrix = times(state.matrix, [Math.cos(a), Math.sin(a), -Math.sin(a), Math.cos(a), 0, 0]);
        break;
      case 'transform':
        state.matrix = times(state.matrix, args.map(n) as Matrix);
        break;
      case 'setTransform':
        state.matrix = args.length === 6 ? (args.map(n) as Matrix) : [1, 0, 0, 1, 0, 0];
        break;
      case 'resetTransform':
        state.matrix = [1, 0, 0, 1, 0, 0];
        break;
      case 'setLineDash':
        state.dash = Array.isArray(args[0]) ? args[0].map(n).join(' ') : '';
        break;
      case 'reset':
        state = fresh();
        out.length = 0;
        break;
      case 'linear':
      case 'radial':
        gradients[args[0] as number] = { kind: name, points: args.slice(1).map(n), stops: [] };
        break;
      case 'stop':
        gradients[args[0] as number]?.stops.push(
          `<stop offset="${n(args[1])}" stop-color="${escape(String(args[2]))}"/>`,
        );
        break;
      default:
        left.add(String(name));
    }
  }
  const defs = gradients.map(({ kind, points, stops }, id) =>
    kind === 'linear'
      ? `<linearGradient id="g${id}" gradientUnits="userSpaceOnUse" x1="${points[0]}" y1="${points[1]}" ` +
        `x2="${points[2]}" y2="${points[3]}">${stops.join('')}</linearGradient>`
      : `<radialGradient id="g${id}" gradientUnits="userSpaceOnUse" cx="${points[3]}" cy="${points[4]}" ` +
        `r="${points[5]}">${stops.join('')}</radialGradient>`,
  );
  const note = left.size > 0 ? `<p class="dim">Not drawn here: ${escape([...left].join(', '))}.</p>` : '';
  return (
    `<svg width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" role="img" aria-label="a ` +
    `drawing">${defs.length > 0 ? `<defs>${defs.join('')}</defs>` : ''}${out.join('')}</svg>${note}`
  );
}
