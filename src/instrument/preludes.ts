/** What stands before text that stays a module or script: probes and patch points of its own. */
import { probeDeclarations } from './probe-names.js';
import type { Site } from './sites.js';
import { slotDeclarations, type Slots } from './slots.js';

/**
 * Patch points for text that stays a module or script: the runtime's table where there is one, else one that stays
 * empty.
 */
export function livePrelude(p: string, file: string, slots: Slots, version: number, module: boolean): string {
  const inert =
    '{table:()=>[],ticks:[0],late:{},hook(){},classHook:(i,self)=>({self}),made(){},due(){},maker:(f)=>f,constant(){throw new TypeError("Assignment to constant variable.")}}';
  return `;const ${p}m=globalThis[Symbol.for("usher-anvil/live@1")]?.(${JSON.stringify(file)},${version}${module ? ',import.meta' : ''})??${inert};${slotDeclarations(p, slots)}${p}m.hook((${p}x)=>eval(${p}x));`;
}

/**
 * Probes for text that stays a module or script: taken from the runtime when one is there, else counting only for
 * itself.
 */
export function standalone(p: string, file: string, sites: readonly Site[]): string {
  const n = sites.length;
  return `;${probeDeclarations(
    p,
    `(globalThis[Symbol.for("usher-anvil/probes@1")]??((f,n,o,c=new Float64Array(n))=>({c,d:new Float64Array(n).fill(1/0),q:new Uint8Array(n),a:(i,x)=>x,M(){},v:(i,x)=>x,w:(i,x)=>x,f(){},g(){},e(){},k:(i,x)=>x,l:(i,x)=>x,b(){},r:(i,t,x)=>x,y(){},u(){},h:(i,x)=>x})))(${JSON.stringify(file)},${n},${JSON.stringify(sites.map((site) => site.owner))})`,
  )}`;
}
