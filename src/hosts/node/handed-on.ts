/** Tells a program that waits for it that one of its reports was handed on; see `pad/pace.ts`. */
export function handedOn(pace: SharedArrayBuffer): () => void {
  return () => {
    const taken = new Int32Array(pace);
    Atomics.add(taken, 0, 1);
    Atomics.notify(taken, 0);
  };
}
