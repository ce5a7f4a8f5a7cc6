/** What a window becomes once it is told what it looks at. */
import type { ToWindow } from '../server/protocol.js';
import { addLanguages } from './languages.js';

type Welcome = Extract<ToWindow, { type: 'welcome' }>;

/** @returns a part of the window's state */
export function welcomed(isAlone: boolean, message: Welcome) {
  const { languages = [], adds, root, pads, idle = [], pad, live, start } = message;
  addLanguages(languages);
  return {
    ...{ root, pads, idle, live, problem: '' },
    pad: pad ?? '',
    starting: start === true && !isAlone,
    // What a project has execute here is said, once.
    ...(adds === undefined ? {} : { note: `Of this project: ${adds}.` }),
  };
}
