/**
 * A stand-in for the gauge of a chamber: a process of its own with little memory and a clock of twenty ticks a second.
 * It runs the script that is pushed to it and streams what that measures.
 *
 *   usher-anvil live device.ts --listen --memory 48
 *   usher-anvil prompt device --in script.ts
 */
import { extension } from 'usher-anvil/live';

/** What the probes feel: metres of water in the upper pound, the chamber and the lower pound. */
const probes = { upper: 4.9, chamber: 0.6, lower: 0.7 };
let clock = 0;
let paddle = 0;
let script: typeof import('./script.js') | undefined;

extension('./script.js', (pushed: typeof import('./script.js')) => {
  script = pushed;
  return () => (script = undefined);
});

function feel(): void {
  const level = paddle > 0 ? probes.upper : 0.6;
  probes.chamber += (level - probes.chamber) * 0.025 * (paddle > 0 ? paddle : 1);
}

setInterval(() => {
  clock += 1;
  feel();
  const readings = script?.measure(probes, clock) ?? [];
  console.log(readings.map((one) => one.toFixed(3)).join('  '));
  paddle = script?.wanted(probes, clock) ?? 0;
}, 50);
