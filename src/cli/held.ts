/** `usher-anvil held`: calls that failed and wait, breakpoints, and what stands still; lists and acts. */
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { valueText } from '../runtime/text.js';
import type { Answers } from '../server/door-methods.js';
import { isAddress } from '../server/joined.js';
import { joinAt } from '../server/program-bench.js';
import { targetNamed, targets } from '../server/targets.js';
import type { Window } from '../server/window.js';
import type { Done } from '../session/live/holding/already-done.js';
import { saveText } from '../hosts/node/saving.js';
import { AnvilError } from '../syntax/problems.js';
import { breakpointLine, doneText, heldLines, placeText, variableLines } from './held-lines.js';
import { harmless, makePaint, wantsColour, type Paint } from './paint.js';
import { targetAt } from './target-address.js';

export interface HeldOptions {
  token?: string;
  json?: boolean;
  when?: string;
  every?: string;
  after?: string;
  print?: string;
  entry?: boolean;
  return?: boolean;
  frame?: string;
  limit?: string;
  where?: string;
}

interface Asking {
  window: Window;
  options: HeldOptions;
  paint: Paint;
  cwd: string;
}

type Action = (asking: Asking, given: string[]) => Promise<string[]>;

/** What can be done, with what each takes. */
const ACTIONS: Readonly<Record<string, { takes: string; does: Action }>> = {
  on: { takes: '', does: (asking) => hold(asking, 'on') },
  auto: { takes: '', does: (asking) => hold(asking, 'auto') },
  off: { takes: '', does: (asking) => hold(asking, 'off') },
  go: { takes: '<number>', does: (asking, [id]) => release(asking, id, 'again', 'goes on') },
  give: {
    takes: '<number> <expression>',
    does: (asking, [id, text]) => release(asking, id, 'give', 'was given the value', text),
  },
  fail: { takes: '<number>', does: (asking, [id]) => release(asking, id, 'fail', 'fails as it would have') },
  drop: { takes: '<number>', does: (asking, [id]) => release(asking, id, 'drop', 'is dropped') },
  write: { takes: '<number>', does: write },
  at: { takes: '<file>:<line>', does: setBreakpoint },
  field: { takes: '<object>.<field>', does: watchField },
  clear: { takes: '<number>', does: clear },
  errors: { takes: 'all, uncaught or none', does: stopAtErrors },
  stop: { takes: '', does: stop },
  continue: { takes: '', does: (asking) => go(asking, { how: 'on' }) },
  over: { takes: '', does: (asking) => go(asking, { how: 'over' }) },
  into: { takes: '', does: (asking) => go(asking, { how: 'into' }) },
  out: { takes: '', does: (asking) => go(asking, { how: 'out' }) },
  to: {
    takes: '<line>',
    does: (asking, [line]) => go(asking, { how: 'to', line: numberOf(line, 'to', '<line>') - 1 }),
  },
  again: { takes: '', does: (asking) => go(asking, { how: 'again', frame: frameOf(asking.options) }) },
  frame: { takes: '', does: variables },
  value: { takes: '<expression>', does: evaluate },
};

/**
 * Lists what is held, or acts on it.
 *
 * @returns the exit code
 * @throws AnvilError `E_TARGET` where no such program is live, `E_OPTION` for an action that is none, `E_HELD` where
 * it cannot be done
 */
export async function heldCommand(
  name: string | undefined,
  action: string | undefined,
  given: string[],
  options: HeldOptions,
): Promise<number> {
  // With one program alone its name can be left out.
  const isAction = name !== undefined && Object.hasOwn(ACTIONS, name) && !targets().some((one) => one.name === name);
  if (isAction) return heldCommand(undefined, name, [...(action === undefined ? [] : [action]), ...given], options);
  const asked = action === undefined ? undefined : Object.hasOwn(ACTIONS, action) ? ACTIONS[action] : undefined;
  if (action !== undefined && !asked)
    throw new AnvilError(
      'E_OPTION',
      `${action} is nothing that can be done; there are ${Object.keys(ACTIONS).join(', ')}`,
    );
  const target = name !== undefined && isAddress(name) ? targetAt(name, options.token) : targetNamed(name);
  const window = await joinAt(target, {});
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const asking = { window, options, paint, cwd: process.cwd() };
  try {
    if (asked) for (const line of await asked.does(asking, given)) process.stdout.write(`${line}\n`);
    else {
      const state = await window.ask('held', {});
      if (options.json)
        process.stdout.write(`${JSON.stringify({ format: 'usher-anvil/held@1', ...state }, null, 2)}\n`);
      else process.stdout.write(`${heldLines(target.name, state, paint, asking.cwd).join('\n')}\n`);
    }
  } finally {
    window.close();
  }
  return 0;
}

async function hold({ window, options }: Asking, mode: 'off' | 'on' | 'auto'): Promise<string[]> {
  const limitMs = options.limit === undefined ? undefined : numberOf(options.limit, mode, '--limit <seconds>') * 1_000;
  await window.ask('hold', { mode, ...(limitMs === undefined ? {} : { limitMs }) });
  return [
    {
      on: 'calls that fail are held from now on',
      auto: 'calls that fail are held from now on, and go on when a function of theirs changes',
      off: 'calls are held no longer',
    }[mode],
  ];
}

async function release(
  { window }: Asking,
  id: string | undefined,
  how: 'again' | 'give' | 'fail' | 'drop',
  text: string,
  given?: string,
): Promise<string[]> {
  const action = how === 'again' ? 'go' : how;
  const number = numberOf(id, action, ACTIONS[action]!.takes);
  if (how === 'give' && given === undefined) throw new AnvilError('E_OPTION', 'give takes <number> <expression>');
  const answer = await window.ask('release', { id: number, how, ...(given === undefined ? {} : { text: given }) });
  checkAnswer(answer);
  return [`${number} ${text}`];
}

/** Declares what a held call found missing, in its file. */
async function write({ window, cwd }: Asking, [id]: string[]): Promise<string[]> {
  const answer = await window.ask('missing', { id: numberOf(id, 'write', '<number>') });
  checkAnswer(answer);
  if (answer.is !== 'missing') return [];
  const { file, offset, text, cursor } = answer.missing;
  const { line } = cursor;
  const before = readFileSync(file, 'utf8');
  saveText(file, before.slice(0, offset) + text + before.slice(offset));
  return [`written: ${placeText({ file, line }, cwd)}. Give it its body, save, and let the call go on`];
}

async function setBreakpoint({ window, options, paint, cwd }: Asking, [place]: string[]): Promise<string[]> {
  const found = /^(.+):(\d+)$/.exec(place ?? '');
  if (!found)
    throw new AnvilError('E_OPTION', `at takes <file>:<line>, not ${place ?? 'nothing'}. Example: at rules.ts:24`);
  const count = (text: string | undefined, name: string): { [key: string]: number } =>
    text === undefined ? {} : { [name]: numberOf(text, `--${name}`, '<times>') };
  const made = await window.ask('breakpoint', {
    file: resolve(cwd, found[1]!),
    line: Number(found[2]) - 1,
    where: options.entry ? 'entry' : options.return ? 'return' : 'statement',
    ...(options.when === undefined ? {} : { condition: options.when }),
    ...(options.print === undefined ? {} : { message: options.print }),
    ...count(options.every, 'every'),
    ...count(options.after, 'after'),
  });
  return [breakpointLine(made, paint, cwd)];
}

/** Stops at writes to a field: in the innermost frame of what stands still, or in the program's first module. */
async function watchField({ window, options }: Asking, [text]: string[]): Promise<string[]> {
  if (text === undefined)
    throw new AnvilError('E_OPTION', 'field takes <object>.<field>. Example: field chamber.level');
  const { standing } = await window.ask('held', {});
  const frame = standing.length > 0 ? { frame: frameOf(options) } : {};
  const answer = await window.ask('watch', { text, ...frame, ...whereOf(options) });
  checkAnswer(answer);
  if (answer.is !== 'watched') return [];
  return [
    `field ${answer.field.id}  ${harmless(text)}; an accessor stands in its place meanwhile, which the program could see`,
  ];
}

async function clear({ window }: Asking, [id]: string[]): Promise<string[]> {
  const number = numberOf(id, 'clear', '<number>');
  const { done } = await window.ask('clear', { id: number });
  if (!done) throw new AnvilError('E_HELD', `there is no breakpoint ${number}`);
  return [`breakpoint ${number} is gone`];
}

async function stopAtErrors({ window }: Asking, [which]: string[]): Promise<string[]> {
  if (which !== 'all' && which !== 'uncaught' && which !== 'none')
    throw new AnvilError('E_OPTION', `errors takes all, uncaught or none, not ${which ?? 'nothing'}`);
  checkAnswer(await window.ask('errors', { which }));
  return [
    which === 'none'
      ? 'stops at no error'
      : which === 'all'
        ? 'stops at all errors'
        : 'stops at errors that no code of it catches',
  ];
}

async function stop({ window, options }: Asking): Promise<string[]> {
  checkAnswer(await window.ask('pause', whereOf(options)));
  return ['it stops at its next statement'];
}

async function go(
  { window, options, paint, cwd }: Asking,
  going: { how: 'on' | 'over' | 'into' | 'out' | 'to' | 'again'; line?: number; frame?: number },
): Promise<string[]> {
  const left = going.how === 'again' ? await leftBehind(window, options, going.frame ?? 0) : [];
  checkAnswer(await window.ask('go', { ...going, ...whereOf(options) }));
  if (going.how === 'again' && left.length > 0)
    return ['goes on', paint.dim(`may have been done already, and stays done: ${doneText(left, cwd)}`)];
  if (going.how === 'on' || going.how === 'again') return ['goes on'];
  // A step is short, or waits for something.
  await new Promise((done) => setTimeout(done, 150));
  const state = await window.ask('held', {});
  return heldLines('', { ...state, calls: [], breakpoints: [] }, paint, cwd).slice(1);
}

/** What calls may have done that are run again. */
async function leftBehind(window: Asking['window'], { where }: HeldOptions, frame: number): Promise<Done[]> {
  const { standing } = await window.ask('held', {});
  const found = standing.find((one) => where === undefined || one.where === where);
  return found?.frames.slice(0, frame + 1).flatMap(({ done }) => done) ?? [];
}

async function variables({ window, options, paint }: Asking): Promise<string[]> {
  const answer = await window.ask('scopes', { frame: frameOf(options), ...whereOf(options) });
  checkAnswer(answer);
  return answer.is === 'scopes' ? variableLines(answer.scopes, paint) : [];
}

async function evaluate({ window, options }: Asking, given: string[]): Promise<string[]> {
  const text = given.join(' ');
  if (text === '') throw new AnvilError('E_OPTION', 'value takes an <expression>');
  const answer = await window.ask('evaluateIn', { text, frame: frameOf(options), ...whereOf(options) });
  checkAnswer(answer);
  return answer.is === 'value' ? [harmless(valueText(answer.value, 10_000))] : [];
}

function whereOf({ where }: HeldOptions): { where?: string } {
  return where === undefined ? {} : { where };
}

function frameOf({ frame }: HeldOptions): number {
  return frame === undefined ? 0 : numberOf(frame, '--frame', '<number>');
}

/** @throws AnvilError `E_HELD` where it cannot be done, or threw */
function checkAnswer(
  answer: Answers['release'] | Answers['evaluateIn'] | Answers['scopes'] | Answers['missing'] | Answers['watch'],
): void {
  if (answer.is === 'cannot') throw new AnvilError('E_HELD', answer.why);
  if (answer.is === 'threw') throw new AnvilError('E_HELD', `${answer.error.name}: ${answer.error.message}`);
}

function numberOf(text: string | undefined, action: string, takes: string): number {
  const value = Number(text);
  if (text === undefined || !/^\d+$/.test(text))
    throw new AnvilError('E_OPTION', `${action} takes ${takes}, not ${text ?? 'nothing'}`);
  return value;
}
