/** The workbench on a live program, over its door: for pages and editors. */
import { AnvilError } from '../syntax/problems.js';
import { rememberJoined } from './joined.js';
import type { ToServer } from './protocol.js';
import type { WorkbenchConnector } from './server.js';
import { joinTarget, type Window, type WindowListeners } from './window.js';

/** Where a program is joined. */
export interface ProgramAddress {
  address: string;
  token: string;
}

/** Joins a program; an address that answers is remembered. @throws AnvilError see {@link joinTarget} */
export async function joinAt({ address, token }: ProgramAddress, listeners: WindowListeners): Promise<Window> {
  const window = await joinTarget(address, token, listeners);
  rememberJoined(address, token);
  return window;
}

/** Each page has a window of its own on the program; what it says goes through the door. */
export async function benchOn({ address, token }: ProgramAddress): Promise<WorkbenchConnector> {
  // So that a wrong name or token is told before a page is opened.
  (await joinAt({ address, token }, {})).close();
  const joined = new Set<Window>();
  return {
    connect(page) {
      let left = false;
      const said: ToServer[] = [];
      let window: Window | undefined;
      const problem = (message: string): void => page.send({ type: 'problem', code: 'E_TARGET', message });
      const tell = (message: ToServer): void => {
        window!.ask('window', { message }).catch((error: unknown) => {
          if (error instanceof AnvilError) page.send({ type: 'problem', code: error.code, message: error.message });
        });
      };
      joinTarget(address, token, { page: (message) => page.send(message), ended: problem }).then(
        (made) => {
          if (left) {
            made.close();
            return;
          }
          window = made;
          joined.add(made);
          for (const message of said.splice(0)) tell(message);
        },
        (error: unknown) => problem((error as Error).message),
      );
      return {
        receive: (message) => (window ? tell(message) : said.push(message)),
        leave: () => {
          left = true;
          if (!window) return;
          joined.delete(window);
          window.close();
        },
      };
    },
    close: () => {
      for (const window of joined) window.close();
      return Promise.resolve();
    },
  };
}
