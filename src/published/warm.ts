/**
 * What a first edit needs is needed once for lines of our own, while a reader reads: engines compile what is used. Of
 * the pad itself nothing runs for it.
 */
import { WorkbenchSession } from '../server/workbench/session.js';
import type { ToWindow } from '../server/protocol.js';
import { memory } from './memory.js';

const FOLDER = '/state/warm';
const NAME = 'lines.ts';
const FILE = `${FOLDER}/${NAME}`;
const LINES = `interface Reach { length: number }
const reaches: Reach[] = [4, 8, 12].map((length) => ({ length }))
function sum(all: Reach[]): number {
  let metres = 0
  for (const { length } of all) metres += length
  return metres
}
const metres = sum(reaches)
console.log('metres', metres)
`;
/** Runs, each of another text. */
const TIMES = 4;
const REST_MS = 30;
/** Milliseconds after which it is given up: it is no matter. */
const PATIENCE_MS = 4_000;

/** @param goesOn false once a person has begun: then it only takes time */
export async function warmUp(goesOn: () => boolean): Promise<void> {
  memory.write(FILE, LINES);
  const session = new WorkbenchSession({ root: FOLDER, pad: FILE, state: FOLDER, types: false, ownPads: true });
  let text: { epoch: string; version: number } | undefined;
  let runs = 0;
  await new Promise<void>((resolve) => {
    setTimeout(resolve, PATIENCE_MS);
    const connection = session.connect({
      send(message) {
        // As over a wire, as the pad's own session is.
        const told = JSON.parse(JSON.stringify(message)) as ToWindow;
        if (told.type === 'text') text = told;
        if (told.type !== 'record' || !told.ended) return;
        if (runs++ === TIMES || !goesOn()) resolve();
        else setTimeout(type, REST_MS);
      },
    });
    /** A blank at the end. */
    const type = (): void => {
      if (!text) return;
      const change = { changes: [[LINES.length + runs - 1, [0, ' ']]], first: runs };
      const version = text.version + runs - 1;
      connection.receive({ type: 'edit', file: NAME, client: 'warm', ...change, epoch: text.epoch, version });
    };
    connection.receive({ type: 'hello', format: 'usher-anvil/window@2' });
  });
  await session.close();
  for (const path of memory.names()) if (path.startsWith(`${FOLDER}/`)) memory.remove(path);
}
