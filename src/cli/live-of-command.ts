/** `usher-anvil live -- <command>`: whatever a project is started by. Its Node processes take part, with their pages. */
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { constants } from 'node:os';
import { basename, sep } from 'node:path';
import { nodeLanguage } from '../hosts/node/language.js';
import { requestMaker } from '../hosts/node/entries/asking.js';
import { NodeFiles } from '../hosts/node/files.js';
import { withNodeOption } from '../hosts/node/node-options.js';
import { Participants } from '../hosts/node/participants.js';
import { projectAround } from '../hosts/node/project/around.js';
import { checkProject } from '../hosts/node/project/manifest.js';
import { SavedFiles } from '../hosts/node/saved-files.js';
import { hasTerminal } from '../hosts/node/signals.js';
import { problemOf } from '../server/problem.js';
import { registerTarget, type RegisteredTarget } from '../server/register-target.js';
import { checkName, freeName } from '../server/targets.js';
import { LiveSession } from '../session/live/session.js';
import { AnvilError } from '../syntax/problems.js';
import { watchEnvironmentFiles } from './environment-files.js';
import { eventLines } from './event-lines.js';
import { outlive } from './outlive.js';
import { tellHeld } from './held-lines.js';
import { holdingOf, type LiveCommandOptions } from './live.js';
import { harmless, makePaint, wantsColour } from './paint.js';
import { watchRestarts } from './restarts.js';

/** Milliseconds after which modules that have begun are followed. */
const FOLLOW_MS = 20;

/**
 * Starts a command; resolves with its exit code.
 *
 * @throws AnvilError `E_NOT_FOUND` where there is no such command, `E_OPTION`
 */
export async function liveOfCommand(
  command: string,
  args: readonly string[],
  options: LiveCommandOptions = {},
): Promise<number> {
  const { name } = options;
  const holding = holdingOf(options);
  for (const key of ['listen', 'memory', 'pause'] as const)
    if (options[key] !== undefined)
      throw new AnvilError(
        'E_OPTION',
        `--${key} is for a program that is started by its first file, and not for a command`,
      );
  if (name !== undefined) checkName(name);
  const cwd = process.cwd();
  checkProject(cwd);
  const root = projectAround(cwd);
  const paint = makePaint(wantsColour(process.stderr, process.env));
  const warn = (text: string): void => void process.stderr.write(`${paint.fail(harmless(text))}\n`);
  const session = new LiveSession('', { files: new NodeFiles(), language: nodeLanguage, requests: requestMaker });
  session.file = root;
  session.onEvent((event) => {
    if (!event.typed || event.kind !== 'refused') process.stderr.write(eventLines(event, paint, cwd));
  });
  tellHeld(session, paint, cwd);
  if (holding) void session.held.switchTo(holding.mode, holding.limitMs);
  const unwatch = watchRestarts(session, warn);
  const environment = watchEnvironmentFiles(cwd, [command, ...args, process.env.NODE_OPTIONS].join(' '), (file, text) =>
    process.stderr.write(eventLines({ kind: 'refused', file, text, details: [] }, paint, cwd)),
  );
  outlive((error) => problemOf(error));
  const participants = new Participants(
    () => session,
    (file) => file.startsWith(`${root}${sep}`),
  );
  const { env, flags } = participants.invitation;
  const child = spawn(command, args, {
    stdio: 'inherit',
    env: { ...process.env, ...env, NODE_OPTIONS: flags.reduce(withNodeOption, process.env.NODE_OPTIONS ?? '') },
  });
  const saved = new SavedFiles((files) => void session.changed(files));
  let registered: Promise<RegisteredTarget | undefined> | undefined;
  // Pages register themselves, under their own server: this one is for what runs in Node.
  const follow = (): void => {
    const { files } = session;
    saved.add([...files, ...session.data.files]);
    if (files.length === 0) return;
    registered ??= registerTarget({
      session,
      name: name ?? freeName(root),
      pid: child.pid ?? 0,
      entry: session.file,
      root,
    }).catch((error: unknown) => {
      if (!(error instanceof AnvilError)) throw error;
      warn(`${error.code}  ${error.message} The program goes on, and cannot be joined.`);
      return undefined;
    });
    void registered.then((target) => target?.refresh());
  };
  // Soon, for files may be saved at once; many modules begin together.
  let following: NodeJS.Timeout | undefined;
  session.onModule(() => {
    following ??= setTimeout(() => {
      following = undefined;
      follow();
    }, FOLLOW_MS);
  });
  let told: NodeJS.Signals | undefined;
  passSignals((signal) => {
    told = signal;
    child.kill(signal);
  });
  const code = await new Promise<number>((resolve, reject) => {
    child.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        new AnvilError(
          'E_NOT_FOUND',
          error.code === 'ENOENT' ? `there is no command ${command} here` : `${command}: ${error.message}`,
        ),
      ),
    );
    child.once('exit', (code, signal) => {
      // A shell between this and the program does not pass on what it is told.
      if (told) for (const { label } of session.guests) endProcess(label, told);
      resolve(signal ? 128 + (constants.signals[signal] ?? 0) : (code ?? 1));
    });
  }).finally(() => {
    clearTimeout(following);
    unwatch();
    participants.close();
  });
  await Promise.all([saved.close(), environment.close()]);
  await (await registered)?.leave(`the command has ended with code ${code}`);
  return code;
}

/** @param label of a guest, `process 4711` */
function endProcess(label: string, signal: NodeJS.Signals): void {
  const pid = Number(/^process (\d+)$/.exec(label)?.[1]);
  try {
    if (pid > 0) process.kill(pid, signal);
  } catch {
    // It has ended meanwhile.
  }
}

/** This command stands for the other one: what it is told, that is told. */
function passSignals(pass: (signal: NodeJS.Signals) => void): void {
  process.on('SIGINT', () => {
    // From a terminal it has it already.
    if (!hasTerminal()) pass('SIGINT');
  });
  for (const signal of ['SIGHUP', 'SIGQUIT', 'SIGTERM'] as const) process.on(signal, () => pass(signal));
}

/** True for what is started as a command: `live -- npm run dev`, but not `live -- server.ts`. */
export function isCommand(argv: readonly string[], entry: string, args: readonly string[]): boolean {
  const dashes = argv.indexOf('--');
  if (dashes < 0 || argv.length - dashes - 1 !== args.length + 1 || argv[dashes + 1] !== entry) return false;
  return !(existsSync(entry) && /\.[cm]?[jt]sx?$/.test(basename(entry)));
}
