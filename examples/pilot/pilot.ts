/** A barge under way: develop `steer` while it moves. `usher-anvil live pilot.ts`. */
import { carry } from 'usher-anvil/live';
import { Barge } from './barge.js';

const { barge } = carry('voyage', () => ({ barge: new Barge() }));

/** Degrees of rudder. A good pilot turns against the offset, and not too late. */
function steer(heading: number, off: number): number {
  return off > 0 ? -0.5 : 0.5;
}

function chart({ off }: Barge): string {
  const water = [...'|                     |'];
  water[Math.max(1, Math.min(21, 11 + Math.round(off * 2)))] = 'B';
  return water.join('');
}

setInterval(() => {
  barge.rudder = steer(barge.heading, barge.off);
  barge.move();
  console.log(`${chart(barge)} ${String(barge.at).padStart(5)} m  aground ${barge.aground}`);
}, 150);
