/** A program that a client has launched: its session is in this process. */
import { createLive } from '../../hosts/node/live.js';
import { SavedFiles } from '../../hosts/node/saved-files.js';
import { AnvilError } from '../../syntax/problems.js';
import type { DebuggedProgram, LaunchLive, ProgramListener } from './program.js';

/**
 * Starts a program.
 *
 * @param begin called before its first line runs: breakpoints are set there
 * @throws AnvilError `E_SYNTAX` where it does not parse
 */
export async function launchLive(
  { program, args, cwd, env, stopOnEntry, hold }: LaunchLive,
  begin: (program: DebuggedProgram) => Promise<void>,
  listener: ProgramListener,
): Promise<DebuggedProgram> {
  const live = createLive({
    file: program,
    stdio: 'pipe',
    onOutput: (stream, text) => listener.output({ stream, text, omitted: 0 }),
    ...(args ? { argv: args } : {}),
    ...(cwd === undefined ? {} : { cwd }),
    ...(env ? { env: { ...process.env, ...env } } : {}),
  });
  const { session } = live;
  const { pausing, held } = session;
  const saved = new SavedFiles((files) => void session.changed(files));
  pausing.listen((event) => listener.paused(event));
  held.listen((event) => listener.held(event));
  const made: DebuggedProgram = {
    name: program,
    entry: session.file,
    places: () => Promise.resolve(['', ...session.guests.map(({ label }) => label)]),
    standing: () => Promise.resolve(pausing.all),
    held: () => Promise.resolve(held.all),
    breakpoints: () => Promise.resolve(pausing.breakpoints),
    set: (asked) => pausing.set(asked),
    clear: async (id) => void (await pausing.remove(id)),
    watch: (text, frame, where) => pausing.watch(text, { frame, where }),
    errors: async (which) => void (await pausing.stopAtErrors(which)),
    pause: (where) => pausing.pause(where),
    go: (going, where) => pausing.go(going, where),
    scopes: (frame, where) => pausing.scopes(frame, where),
    evaluate: (text, frame, where) => pausing.evaluate(text, frame, where),
    enter: (text, file = session.file) => session.evaluate(file, text),
    look: (request) => session.look(request),
    async leave() {
      await saved.close();
      session.stop();
    },
  };
  await begin(made);
  if (hold) void held.switchTo(hold);
  const problems = session.start(
    () => {
      const exit = live.exit();
      void saved.close();
      listener.ended(exit?.signal ? `ended by ${exit.signal}` : `ended with code ${exit?.code ?? 1}`);
    },
    { pause: stopOnEntry === true },
  );
  const [problem] = problems;
  if (problem) {
    await saved.close();
    throw new AnvilError('E_SYNTAX', `${problem.file} line ${problem.line + 1}: ${problem.message}`);
  }
  saved.add(session.files);
  session.onModule(() => saved.add(session.files));
  return made;
}
