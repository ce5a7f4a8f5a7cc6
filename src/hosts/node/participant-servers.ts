/** Development servers for pages that a participant makes. */
import { OWN_BASE } from './own-files.js';

/** Milliseconds after which a development server has read its configuration. */
const ASKS_MS = 10_000;

/** A development server for pages that this process makes takes the plugin, where its configuration has none. */
export function joinServers(): void {
  let asked = false;
  const add = async (config: object, command: string): Promise<object> => {
    asked = true;
    // Its test runner resolves a configuration as well.
    if (command !== 'serve' || process.env.VITEST !== undefined) return config;
    const { default: plugin } = (await import(`${OWN_BASE}vite/index.js`)) as {
      default: (options: { added: true }) => unknown;
    };
    const { plugins = [] } = config as { plugins?: unknown[] };
    return { ...config, plugins: [...plugins, plugin({ added: true })] };
  };
  Object.defineProperty(globalThis, Symbol.for('usher-anvil/vite@1'), { value: add });
  // Its code may be written in another way one day: then the person is told, and not left without values.
  if (/[\\/](?:\.bin[\\/]vite|vite[\\/]bin[\\/]vite\.js)$/.test(process.argv[1] ?? ''))
    setTimeout(() => {
      if (!asked) process.stderr.write('usher-anvil: this Vite server has to be given the plugin usher-anvil/vite\n');
    }, ASKS_MS).unref();
}
