/** `usher-anvil live`: starts a program and patches it at every save. */
import { statSync } from 'node:fs';
import { constants } from 'node:os';
import { relative } from 'node:path';
import { watch as watchFiles } from 'chokidar';
import { padPath } from '../hosts/node/files.js';
import { createLive } from '../hosts/node/live.js';
import { harmless, makePaint, wantsColour } from './paint.js';

/** Runs the program; resolves with its exit code when it has ended by itself. */
export async function liveCommand(entry: string, args: string[]): Promise<number> {
  const cwd = process.cwd();
  const file = padPath(entry, cwd);
  const paint = makePaint(wantsColour(process.stderr, process.env));
  const live = createLive({ file, argv: args });
  const say = (name: string, text: string, details: readonly string[], colour: (text: string) => string): void => {
    const short = relative(cwd, name);
    process.stderr.write(
      `${paint.bold(short === '' || short.startsWith('..') ? name : short)}  ${colour(harmless(text))}\n${details.map((line) => `    ${harmless(line)}\n`).join('')}`,
    );
  };
  live.session.onEvent((event) => say(event.file, event.text, event.details, event.kind === 'patched' ? paint.pass : paint.fail));

  return new Promise((resolve) => {
    const watcher = watchFiles([], { ignoreInitial: true });
    const watched = new Set<string>();
    const follow = (): void => {
      for (const one of live.session.files) {
        if (watched.has(one)) continue;
        watched.add(one);
        watcher.add(one);
      }
    };
    const problems = live.session.start(() => {
      clearInterval(following);
      void watcher.close().then(() => {
        const exit = live.exit();
        resolve(exit?.signal ? 128 + (constants.signals[exit.signal] ?? 0) : (exit?.code ?? 1));
      });
    });
    // Modules that the program loads later are followed too.
    const following = setInterval(follow, 500);
    follow();
    if (problems.length > 0) {
      clearInterval(following);
      for (const problem of problems) say(problem.file, `line ${problem.line + 1}  ${problem.message}`, [], paint.fail);
      void watcher.close().then(() => resolve(1));
      return;
    }
    const pending = new Set<string>();
    let timer: NodeJS.Timeout | undefined;
    const touched = new Set<string>();
    let last: NodeJS.Timeout | undefined;
    watcher.on('all', (event, path) => {
      if (event === 'unlink') {
        // Many editors replace a file; the new one is followed again.
        watched.delete(path);
        watcher.unwatch(path);
        setTimeout(follow, 50);
        setTimeout(() => take(path), 60);
        return;
      }
      take(path);
    });
    function take(path: string): void {
      pending.add(path);
      clearTimeout(timer);
      // An editor may write several times for one save.
      timer = setTimeout(() => {
        const files = [...pending];
        pending.clear();
        void live.session.changed(files, false);
        // The watcher swallows a second change within 50 ms: a file that is as it was is left alone.
        setTimeout(() => void live.session.changed(files, false), 80);
        // A file that is empty for that long is meant to be: until then it may be about to be written.
        for (const one of files) touched.add(one);
        clearTimeout(last);
        last = setTimeout(() => {
          const settled = [...touched];
          touched.clear();
          // A later save may have emptied a file just now: it has to be empty twice.
          const full = settled.filter((one) => !isEmpty(one));
          if (full.length > 0) void live.session.changed(full, false);
          if (full.length < settled.length)
            setTimeout(() => {
              const empty = settled.filter(isEmpty);
              if (empty.length > 0) void live.session.changed(empty);
            }, 150);
        }, 400);
      }, 8);
    }
    // The terminal sends its signals to the program too; this process ends with it.
    process.on('SIGINT', () => undefined);
    process.on('SIGTERM', () => live.session.stop());
  });
}

function isEmpty(file: string): boolean {
  try {
    return statSync(file).size === 0;
  } catch {
    return false;
  }
}
