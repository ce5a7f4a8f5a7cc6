// The soundings: a depth chart, computed per pixel. Change a number and watch the chart; point at it to read a depth.
import { paint } from 'usher-anvil/pad';

const seed = 7;
const detail = 5;
const deepest = 4.2;

function noise(x: number, y: number): number {
  const n = Math.sin(x * 12.9898 + y * 78.233 + seed) * 43758.5453;
  return n - Math.floor(n);
}

function smooth(x: number, y: number): number {
  const left = Math.floor(x);
  const top = Math.floor(y);
  const u = (x - left) ** 2 * (3 - 2 * (x - left));
  const v = (y - top) ** 2 * (3 - 2 * (y - top));
  const above = noise(left, top) * (1 - u) + noise(left + 1, top) * u;
  const below = noise(left, top + 1) * (1 - u) + noise(left + 1, top + 1) * u;
  return above * (1 - v) + below * v;
}

/** Depth in metres at a place of the basin. */
function depth(x: number, y: number): number {
  let sum = 0;
  let weight = 0.5;
  for (let octave = 0, scale = 1; octave < detail; octave++, scale *= 2, weight /= 2) sum += smooth(x * scale, y * scale) * weight;
  const bank = Math.min(1, Math.abs(y - 2) / 2);
  return deepest * sum * (1 - bank ** 3);
}

paint(320, 200, (x, y) => depth(x / 50, y / 50), { title: 'Depth of the basin in metres', scale: [0, deepest] });
