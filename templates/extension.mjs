// An extension of a host that loads it from a folder
const words = { fog: 'lamps', wind: 'cones' };

/** Called by the host, each time that it loads this file. */
export function activate(host) {
  for (const [name, word] of Object.entries(words)) {
    host.register(name, (state) => `${word}: ${JSON.stringify(state)}`);
  }
}
