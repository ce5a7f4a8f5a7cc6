/** `usher-anvil lsp`: serves an editor over standard input and output. */
import { serveEditor } from '../editor/server.js';
import { outlive } from './outlive.js';

/** Resolves with the exit code when the editor is gone. */
export function lspCommand(version: string): Promise<number> {
  // What anything prints must not come between messages.
  console.log = console.error;
  console.info = console.error;
  outlive((error) => console.error(error));
  return new Promise((resolve) => {
    serveEditor({ input: process.stdin, output: process.stdout, version, ended: resolve });
  });
}
