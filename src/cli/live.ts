/** `usher-anvil live`: starts a program and patches it at every save. */
import { statSync } from 'node:fs';
import { constants } from 'node:os';
import { dirname, relative, sep } from 'node:path';
import { padPath } from '../hosts/node/files.js';
import { languageFor } from '../hosts/node/project/languages.js';
import { createLive, type NodeLive } from '../hosts/node/live.js';
import { checkProject } from '../hosts/node/project/manifest.js';
import { SavedFiles } from '../hosts/node/saved-files.js';
import { hasTerminal } from '../hosts/node/signals.js';
import { pageHint } from '../server/page-hint.js';
import { problemOf } from '../server/problem.js';
import { registerTarget, type RegisteredTarget } from '../server/register-target.js';
import { checkName, freeName, targetNamed, targets } from '../server/targets.js';
import { joinTarget } from '../server/window.js';
import { AnvilError } from '../syntax/problems.js';
import { watchEnvironmentFiles } from './environment-files.js';
import { eventLines } from './event-lines.js';
import { tellHeld } from './held-lines.js';
import { outlive } from './outlive.js';
import { harmless, makePaint, wantsColour } from './paint.js';

export interface LiveCommandOptions {
  name?: string;
  listen?: string | true;
  memory?: string;
  /** Calls that fail wait until they are mended; `auto`: and go on by themselves then. */
  hold?: string | true;
  holdLimit?: string;
  /** Stand still at the first statement. */
  pause?: boolean;
}

/**
 * Runs the program; resolves with its exit code when it has ended by itself. With the name of a target, joins that one.
 */
export async function liveCommand(entry: string, args: string[], options: LiveCommandOptions = {}): Promise<number> {
  const cwd = process.cwd();
  // A program often lies in a folder of its name.
  if (!statSync(entry, { throwIfNoEntry: false })?.isFile() && targets().some((one) => one.name === entry))
    return follow(entry);
  const file = padPath(entry, cwd);
  const language = languageFor(file);
  if (language)
    throw new AnvilError(
      'E_NOT_A_PAD',
      `${entry} is written in ${language.plugin.name}: such files run as pads, and are not patched. Take usher-anvil open.`,
    );
  // Before the program starts: a name that cannot be is a slip of whoever typed it.
  if (options.name !== undefined) checkName(options.name);
  const paint = makePaint(wantsColour(process.stderr, process.env));
  const port =
    options.listen === undefined
      ? undefined
      : numberOf('--listen', options.listen === true ? '0' : options.listen, 65_535);
  const memoryMb = options.memory === undefined ? 0 : numberOf('--memory', options.memory, 1 << 20);
  const holding = holdingOf(options);
  checkProject(dirname(file));
  const live = createLive({ file, argv: args, memoryMb });
  // The program goes on, also where this command is wrong.
  outlive((error) => problemOf(error));
  const warn = (text = ''): void => void process.stderr.write(text && `${paint.fail(harmless(text))}\n`);
  let typed = '';
  // What a person is in the middle of typing is answered in the window where it is typed.
  live.session.onEvent((event) => {
    const line = eventLines(event, paint, cwd);
    const again = event.typed && line === typed;
    typed = event.typed ? line : '';
    // Who types a word makes a change with each letter: one line says it.
    if (!again && (!event.typed || event.kind !== 'refused')) process.stderr.write(line);
  });
  tellHeld(live.session, paint, cwd);
  let registered: RegisteredTarget | undefined;
  const open = async (): Promise<void> => {
    try {
      registered = await registerTarget({
        session: live.session,
        name: options.name === undefined ? freeName(file) : checkName(options.name),
        pid: live.pid() ?? 0,
        entry: file,
        root: rootOf(file, cwd),
        port,
      });
    } catch (error) {
      // The program comes first: without a door it can still be changed by saves.
      if (!(error instanceof AnvilError)) throw error;
      warn(`${error.code}  ${error.message} The program goes on, and cannot be joined.`);
      return;
    }
    const { address, token } = registered.door;
    if (port !== undefined) process.stderr.write(`${paint.dim(`listens on ${address}, token ${token}`)}\n`);
  };

  return new Promise((resolve) => {
    let opened: Promise<void> = Promise.resolve();
    const saved = new SavedFiles((files) => void live.session.changed(files));
    const environment = watchEnvironmentFiles(cwd, process.env.NODE_OPTIONS ?? '', (file, text) =>
      process.stderr.write(eventLines({ kind: 'refused', file, text, details: [] }, paint, cwd)),
    );
    const unwatch = (): Promise<unknown> => Promise.all([saved.close(), environment.close()]);
    const follow = (): void => {
      saved.add([...live.session.files, ...live.session.data.files]);
      registered?.refresh();
    };
    if (holding) void live.session.held.switchTo(holding.mode, holding.limitMs);
    const problems = live.session.start(
      () => {
        clearInterval(following);
        const exit = live.exit();
        if (exit?.code) warn(pageHint(file, relative(cwd, file)));
        void Promise.all([unwatch(), opened.then(() => registered?.leave(`the program ${howEnded(exit)}`))]).then(() =>
          resolve(exit?.signal ? 128 + (constants.signals[exit.signal] ?? 0) : (exit?.code ?? 1)),
        );
      },
      { pause: options.pause === true },
    );
    // Modules that the program loads later are followed too.
    const following = setInterval(follow, 500);
    follow();
    if (problems.length > 0) {
      clearInterval(following);
      for (const problem of problems)
        process.stderr.write(
          eventLines(
            { kind: 'refused', file: problem.file, text: `line ${problem.line + 1}  ${problem.message}`, details: [] },
            paint,
            cwd,
          ),
        );
      void unwatch().then(() => resolve(1));
      return;
    }
    opened = open();
    passSignals(live);
  });
}

/**
 * This command stands for the program: what it is told, the program is told, and it ends when the program does. A
 * second SIGTERM ends a program that does not listen.
 */
function passSignals(live: NodeLive): void {
  const pass = (signal: NodeJS.Signals): void => {
    const pid = live.pid();
    try {
      if (pid !== undefined) process.kill(pid, signal);
    } catch {
      // It has ended meanwhile.
    }
  };
  process.on('SIGINT', () => {
    // From a terminal the program has it already, and a second one often means: at once.
    if (!hasTerminal()) pass('SIGINT');
  });
  process.on('SIGHUP', () => pass('SIGHUP'));
  process.on('SIGQUIT', () => pass('SIGQUIT'));
  let asked = false;
  process.on('SIGTERM', () => {
    if (asked) live.session.stop();
    else pass('SIGTERM');
    asked = true;
  });
}

/** Prints what happens to a program that another command has started, until it ends. */
async function follow(name: string): Promise<number> {
  const paint = makePaint(wantsColour(process.stdout, process.env));
  const cwd = process.cwd();
  const target = targetNamed(name);
  let end: (code: number) => void = () => undefined;
  const ended = new Promise<number>((resolve) => (end = resolve));
  const window = await joinTarget(target.address, target.token, {
    event: (event) => process.stdout.write(eventLines(event, paint, cwd)),
    output: ({ text, omitted }) =>
      process.stdout.write(
        `${harmless(text)}${omitted > 0 ? `… ${omitted.toLocaleString('en-US')} characters are left out\n` : ''}`,
      ),
    ended: (text) => {
      process.stdout.write(`${paint.fail(harmless(text))}\n`);
      end(0);
    },
  });
  // Whoever reads it may leave first.
  process.stdout.on('error', () => {
    window.close();
    end(0);
  });
  const { files, waiting } = await window.ask('describe', {});
  await window.ask('listen', { on: true });
  process.stdout.write(
    `${paint.bold(target.name)}  process ${target.pid}, ${files.length} ` +
      `file${files.length === 1 ? '' : 's'}, since ${target.since}\n`,
  );
  for (const one of waiting)
    process.stdout.write(`    ${relative(cwd, one.file)} line ${one.line + 1} waits: ${harmless(one.text)}\n`);
  process.once('SIGINT', () => {
    window.close();
    end(0);
  });
  return ended;
}

/** How calls that fail are held, as the options say. */
/** @throws AnvilError `E_OPTION` */
export function holdingOf({
  hold,
  holdLimit,
}: LiveCommandOptions): { mode: 'on' | 'auto'; limitMs?: number } | undefined {
  if (hold === undefined) {
    if (holdLimit !== undefined) throw new AnvilError('E_OPTION', '--hold-limit goes with --hold');
    return undefined;
  }
  if (hold !== true && hold !== 'auto')
    throw new AnvilError('E_OPTION', `--hold takes auto, or nothing, and not ${hold}. Example: --hold=auto`);
  return {
    mode: hold === true ? 'on' : 'auto',
    ...(holdLimit === undefined ? {} : { limitMs: numberOf('--hold-limit', holdLimit, 1_000_000) * 1_000 }),
  };
}

function numberOf(option: string, text: string, most: number): number {
  const value = Number(text);
  if (!/^\d+$/.test(text) || value > most)
    throw new AnvilError('E_OPTION', `${option} takes a number from 0 to ${most}, not ${text}`);
  return value;
}

/** Names of files are relative to where the program was started, if it lies there. */
function rootOf(file: string, cwd: string): string {
  return file.startsWith(`${cwd}${sep}`) ? cwd : dirname(file);
}

function howEnded(exit: ReturnType<NodeLive['exit']>): string {
  return exit?.signal ? `was ended by ${exit.signal}` : `has ended with code ${exit?.code ?? 1}`;
}
