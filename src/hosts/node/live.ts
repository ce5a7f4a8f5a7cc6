/** A live program in Node: a process of its own with its own standard input, output and exit code. */
import { resolve } from 'node:path';
import { LiveSession } from '../../session/live/session.js';
import { requestMaker } from './entries/asking.js';
import { NodeFiles } from './files.js';
import { nodeLanguage } from './language.js';
import { NodeLiveHost, type LiveOptions, type ProcessExit } from './live-host.js';
import { Participants } from './participants.js';

/** A live session and what only Node knows of it. */
export interface NodeLive {
  session: LiveSession;
  /** How the program's process ended. */
  exit(): ProcessExit | undefined;
  pid(): number | undefined;
}

/**
 * Creates a live session for a program of one or more local modules. It starts
 * with `session.start`, and takes changes with `session.changed`.
 */
export function createLive(options: LiveOptions): NodeLive {
  const host = new NodeLiveHost(options);
  const session: LiveSession = new LiveSession(resolve(options.cwd ?? '.', options.file), {
    files: new NodeFiles(),
    language: nodeLanguage,
    host,
    requests: requestMaker,
  });
  host.rehearse = (step) => session.rehearse(step);
  host.invite = () => new Participants(() => session);
  return { session, exit: () => host.exit, pid: () => host.pid };
}
