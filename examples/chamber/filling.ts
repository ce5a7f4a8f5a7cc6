// The chamber of Cress lock fills, again and again, and never stops.
// Start it with:  usher-anvil live filling.ts
// Then change the rate, or write a helper, and save.
import { drawGauge } from './gauge.ts';

const RISE = 5.4; // metres from the lower to the upper pound
const RATE = 0.25; // metres a tick

const chamber = { level: 0, ticks: 0, fills: 0 };

function fill(): void {
  chamber.level = Math.min(RISE, chamber.level + RATE);
  chamber.ticks++;
  if (chamber.level === RISE) {
    chamber.fills++;
    chamber.level = 0;
  }
}

setInterval(() => {
  fill();
  console.log(drawGauge(chamber.level, RISE), `tick ${chamber.ticks}, fill ${chamber.fills}`);
}, 250);
