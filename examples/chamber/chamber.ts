// The chamber of Alder: it fills, the gate opens, a barge leaves, and all begins anew. Switch "keep its state" on, and
// change a number while it goes on.
import { dial } from 'usher-anvil/pad';

const canvas = document.createElement('canvas');
canvas.width = 520;
canvas.height = 300;
document.body.style.margin = '16px';
document.body.append(canvas);
const pen = canvas.getContext('2d')!;

const rise = dial('rise', 4.2, { min: 1, max: 8, step: 0.1 });
const speed = dial('speed', 1, { min: 0, max: 4, step: 0.25 });
const chamber = { left: 120, right: 400, floor: 260, metre: 24 };
const state = { frames: 0, level: 0, barge: 180 };

canvas.addEventListener('click', () => (state.level = 0));

function fill(): void {
  const missing = rise - state.level;
  state.level += Math.min(missing, 0.012 * speed * Math.sqrt(missing));
  if (missing < 0.02) state.barge += speed;
  if (state.barge > canvas.width) Object.assign(state, { level: 0, barge: 180 });
}

function water(left: number, right: number, level: number): void {
  pen.fillStyle = '#7f97ad';
  pen.fillRect(left, chamber.floor - level * chamber.metre, right - left, level * chamber.metre);
}

function barge(level: number): void {
  const y = chamber.floor - level * chamber.metre;
  pen.fillStyle = '#d9711f';
  pen.fillRect(state.barge, y - 12, 80, 14);
  pen.fillRect(state.barge + 56, y - 26, 16, 16);
}

function gates(open: boolean): void {
  pen.fillStyle = '#67625a';
  pen.fillRect(chamber.left - 6, 40, 6, chamber.floor - 40);
  if (!open) pen.fillRect(chamber.right, 40, 6, chamber.floor - 40);
}

function frame(): void {
  state.frames++;
  fill();
  pen.fillStyle = '#fffdf8';
  pen.fillRect(0, 0, canvas.width, canvas.height);
  water(chamber.left, chamber.right, state.level);
  water(chamber.right, canvas.width, rise);
  barge(state.level);
  gates(rise - state.level < 0.02);
  requestAnimationFrame(frame);
}

frame();
