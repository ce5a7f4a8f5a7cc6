/** Lines of a prompt that are no JavaScript: two words each, a verb and what it is done to. */
import type { Window } from '../server/window.js';
import { treeLines } from '../views/tree.js';
import { harmless } from './paint.js';
import type { PromptPlace } from './prompt-place.js';
import type { PromptScreen } from './prompt-screen.js';

const WORDS = /^(?:(open|undo|run|reset|show|hide) +(\S+)|(in) +(\S+)(?: +((?:thread|process|page) \d+|server))?)$/;

export interface WordsAround {
  window: Window;
  place: PromptPlace;
  screen: PromptScreen;
  /** Moments of the results so far. */
  results: readonly number[];
  complain(text: string): void;
}

/** Does what a line says; false when it is no line of words. */
export async function takeWords(line: string, around: WordsAround): Promise<boolean> {
  const found = WORDS.exec(line);
  if (!found) return false;
  const verb = (found[1] ?? found[3])!;
  const what = (found[2] ?? found[4])!;
  const { window, place, screen, complain } = around;
  if (verb === 'in') {
    const { wrong, also } = await place.go(window, what, found[5]);
    if (wrong !== undefined) complain(wrong);
    if (also !== undefined) screen.say(`${screen.paint.dim(also)}\n`);
    return true;
  }
  switch (`${verb} ${/^\d+$/.test(what) && verb === 'open' ? 'number' : verb === 'reset' ? 'name' : what}`) {
    case 'open number':
      await openResult(Number(what), around);
      return true;
    case 'undo last':
      if (!(await window.ask('undo', {})).done) complain('there is no change to take back');
      return true;
    case 'run waiting': {
      const { ran } = await window.ask('run', { file: place.file });
      screen.say(`${ran === 0 ? 'no statement waits' : `${ran} statement${ran === 1 ? '' : 's'} ran`}\n`);
      return true;
    }
    case 'reset name':
      if (!(await window.ask('reset', { file: place.file, name: what })).done)
        complain(`no save has given ${what} another first value than it lives with`);
      return true;
    case 'hide output':
    case 'show output':
      screen.hide(verb === 'hide');
      return true;
    case 'show names': {
      const { names } = await window.ask('complete', { file: place.file, text: '', ...place.there });
      screen.say(names.map((one) => `  ${one.name}  ${screen.paint.dim(harmless(one.text))}\n`).join(''));
      return true;
    }
    default:
      return false;
  }
}

async function openResult(number: number, { window, screen, results, complain }: WordsAround): Promise<void> {
  const moment = results[number - 1];
  if (moment === undefined) {
    complain(`there is no result ${number}`);
    return;
  }
  const all = { depth: 3, members: 50 };
  const tree = await treeLines((request) => window.ask('look', { request } as never), moment, 0, all);
  if (!tree) complain('the program does not hold this value any more');
  else screen.say(tree.length === 0 ? '  nothing inside\n' : tree.map((one) => `  ${harmless(one)}\n`).join(''));
}
