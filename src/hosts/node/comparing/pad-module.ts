/** Where `usher-anvil/pad` is for code that runs by itself. */
export const PAD_FACE = new URL('../pad-face.js', import.meta.url).href;
