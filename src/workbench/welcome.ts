/** What a window becomes once it is told what it looks at. */
import type { ToWindow } from '../server/protocol.js';
import { addLanguages } from './languages.js';

type Welcome = Extract<ToWindow, { type: 'welcome' }>;

/** @returns a part of the window's state */
export function welcomed(isAlone: boolean, message: Welcome) {
  const { languages = [], root, pads, idle = [], pad, live, start } = message;
  addLanguages(languages);
  const words = languages.map(({ name, from }) => `${name} (${from})`).join(', ');
  return {
    ...{ root, pads, idle, live, problem: '' },
    pad: pad ?? '',
    starting: start === true && !isAlone,
    // What a project has execute here is said, once.
    ...(words === '' ? {} : { note: `Of this project: ${words}.` }),
  };
}
