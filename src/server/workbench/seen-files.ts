/** Files that windows show, of a program that runs on. */
import type { Workbench } from './state.js';

/** Only what a window shows is looked at. */
export function lookAtFiles({ live, viewers }: Workbench): void {
  live?.lookAt(
    new Set([...viewers].flatMap((viewer) => (viewer.file === undefined || viewer.serves ? [] : [viewer.file]))),
  );
}
