/** What stands before text that stays a module or script: probes and patch points of its own. */
import { probeDeclarations } from './probe-names.js';
import type { Site } from './sites.js';
import { LIVE } from '../wire/constants.js';
import { slotDeclarations, type Slots } from './slots.js';

/** Where a module is executed that does not load its imports by itself: a module runner writes them anew. */
export interface RunnerPlace {
  /** The global symbol under which the runtime there is found. */
  symbol: string;
  /** Names that imports bind: code that comes later finds them among the late names, under `boundKey`. */
  bound: readonly string[];
}

/**
 * Patch points for text that stays a module or script: the runtime's table where there is one, else one that stays
 * empty.
 */
export function livePrelude(
  p: string,
  file: string,
  slots: Slots,
  version: number,
  module: boolean,
  runner?: RunnerPlace,
): string {
  const inert =
    '{table:()=>[],ticks:[0],late:{},hook(){},classHook:(i,self)=>({self}),made(){},due(){},maker:(f)=>f,constant(){throw new TypeError("Assignment to constant variable.")}}';
  const symbol = JSON.stringify(runner?.symbol ?? LIVE);
  const own = `${JSON.stringify(file)},${version}${module ? ',import.meta' : ''}${runner ? `,(${p}x)=>import(/* @vite-ignore */${p}x)` : ''}`;
  const bound = runner ? `,{${runner.bound.map((name) => `${JSON.stringify(name)}:()=>${name}`).join(',')}}` : '';
  return `;const ${p}m=globalThis[Symbol.for(${symbol})]?.(${own})??${inert};${slotDeclarations(p, slots)}${p}m.hook((${p}x)=>eval(${p}x)${bound});`;
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
