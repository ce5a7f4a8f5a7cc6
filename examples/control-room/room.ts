/** The control room: barges climb the canal for ever. Change anything here while it runs. */
import { Barge } from './barge.js';
import { heightAt, LENGTH, locks, type Lock } from './locks.js';

const canvas = document.querySelector<HTMLCanvasElement>('#canal')!;
const context = canvas.getContext('2d')!;
const counter = document.querySelector<HTMLOutputElement>('#frames')!;
const list = document.querySelector<HTMLUListElement>('#boats')!;

const fleet = [new Barge('Heron', 'slate', 0.4), new Barge('Otter', 'timber', 6.2), new Barge('Kestrel', 'grain', 10.4), new Barge('Plover', 'lime', 16.3)];
const COLOURS: Record<string, string> = { slate: '#4f5d75', timber: '#9c6644', grain: '#c99700', lime: '#7a8f3c' };

let frame = 0;

const x = (km: number): number => 30 + (km / LENGTH) * (canvas.width - 60);
const y = (metres: number): number => canvas.height - 70 - metres * 11;

/** How full each chamber is, from 0 (at the lower pound) to 1. */
const levels = new Map(locks.map((lock) => [lock.name, 0]));
/** Kilometres from the middle of a chamber to its gates. */
const GATE = 0.45;

/** Fills or drains a chamber for the barge in it, or for the one that comes next. */
function workLock(lock: Lock): void {
  const level = levels.get(lock.name)!;
  const inside = fleet.find((barge) => barge.lift !== undefined && barge.nextLock() === lock);
  if (inside) {
    levels.set(lock.name, inside.heading > 0 ? inside.lift! : 1 - inside.lift!);
    return;
  }
  const coming = fleet.find((barge) => (lock.at - barge.at) * barge.heading > 0 && Math.abs(lock.at - barge.at) < 1.5);
  if (coming) levels.set(lock.name, level + Math.sign((coming.heading > 0 ? 0 : 1) - level) * Math.min(0.015, Math.abs((coming.heading > 0 ? 0 : 1) - level)));
}

function drawWater(): void {
  context.fillStyle = '#8fbcd4';
  context.fillRect(x(0), y(0), x(LENGTH) - x(0), canvas.height);
  for (const lock of locks) {
    const below = heightAt(lock.at);
    const chamber = below + lock.rise * levels.get(lock.name)!;
    context.fillRect(x(lock.at - GATE), y(chamber), x(lock.at + GATE) - x(lock.at - GATE), canvas.height);
    context.fillRect(x(lock.at + GATE), y(below + lock.rise), x(LENGTH) - x(lock.at + GATE), canvas.height);
  }
}

function drawLocks(): void {
  context.font = '14px system-ui, sans-serif';
  context.textAlign = 'center';
  for (const lock of locks) {
    const below = heightAt(lock.at);
    context.fillStyle = '#3d4a52';
    for (const gate of [lock.at - GATE, lock.at + GATE]) context.fillRect(x(gate) - 2, y(below + lock.rise) - 12, 4, lock.rise * 11 + 26);
    context.fillStyle = '#1d2a32';
    context.fillText(`${lock.name} ${lock.rise.toFixed(1)} m`, x(lock.at), canvas.height - 24);
  }
}

function drawBarge(barge: Barge): void {
  const left = x(barge.at) - 26;
  const top = y(barge.height) - 10;
  context.fillStyle = COLOURS[barge.cargo] ?? '#333';
  context.beginPath();
  context.moveTo(left, top);
  context.lineTo(left + 52, top);
  context.lineTo(left + 44, top + 14);
  context.lineTo(left + 8, top + 14);
  context.fill();
  context.fillStyle = '#26323a';
  context.fillText(barge.name, left + 26, top - 8);
}

function render(): void {
  frame += 1;
  context.clearRect(0, 0, canvas.width, canvas.height);
  locks.forEach(workLock);
  drawWater();
  drawLocks();
  for (const barge of fleet) {
    barge.advance();
    drawBarge(barge);
  }
  counter.textContent = `frame ${frame}`;
  list.replaceChildren(
    ...fleet.map((barge) => {
      const item = document.createElement('li');
      item.textContent = `${barge.name}: km ${barge.at.toFixed(1)}, ${barge.height.toFixed(1)} m`;
      return item;
    }),
  );
  requestAnimationFrame(render);
}

requestAnimationFrame(render);
