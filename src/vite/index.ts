/**
 * `usher-anvil/vite`: the pages of a development server as a live program, and the modules that the server executes
 * itself. They are patched at every save, looked at in the workbench and spoken to at a prompt, and go on with their
 * state. A page is loaded anew only where a change cannot be made in place, and says why.
 */
import type { Plugin } from 'vite';
import { componentsPlugin } from './components.js';
import { DevelopmentServer, type UsherAnvilOptions } from './development-server.js';
import { PAGE, pageText } from './page-text.js';

export type { UsherAnvilOptions };

/** The plugin: one that comes before those of the project, for scripts, and one behind them, for components. */
export default function usherAnvil(options: UsherAnvilOptions = {}): Plugin[] {
  const server = new DevelopmentServer(options);
  let page: { code: string; map: string } | undefined;

  const scripts: Plugin = {
    name: 'usher-anvil',
    apply: 'serve',
    enforce: 'pre',
    configResolved: (config) => server.configure(config),
    configureServer: (made) => server.begin(made),
    resolveId: (id) => (id === PAGE ? PAGE : undefined),
    load: (id) => (id === PAGE ? (page ??= pageText()) : undefined),
    transform(code, id) {
      if (id === PAGE || id.includes('?')) return undefined;
      return server.takesPart(id) ? server.serve(id, code, this.environment) : undefined;
    },
    hotUpdate: {
      order: 'pre',
      handler(options) {
        return server.saved(this.environment.name, options);
      },
    },
  };
  return [scripts, componentsPlugin(server)];
}
