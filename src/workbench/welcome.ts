/** What a window becomes once it is told what it looks at. */
import type { AddedHere, ToWindow } from '../server/protocol.js';
import { addLanguages } from './languages.js';

type Welcome = Extract<ToWindow, { type: 'welcome' }>;

/** @returns a part of the window's state */
export function welcomed(isAlone: boolean, message: Welcome) {
  const { root, pads, idle = [], pad, live, start } = message;
  return {
    ...{ root, pads, idle, live, problem: '' },
    pad: pad ?? '',
    starting: start === true && !isAlone,
    ...added(message),
  };
}

/** @returns the same of what the project adds, which is said once */
export function added({ languages = [], adds, held = [] }: AddedHere) {
  addLanguages(languages);
  return { additionsHeld: held, ...(adds === undefined ? {} : { note: `Of this project: ${adds}.` }) };
}
