/** The whole engine in one page: sessions whose pads run in workers of that page, without any server. */
import { Session } from '../../session/session.js';
import type { Made } from '../../instrument/made-code.js';
import type { Clock, Files, Host } from '../../session/host.js';
import type { SessionOptions } from '../../session/options.js';
import type { PackageType } from '../../syntax/parse.js';
import type { ProjectSettings } from '../../syntax/settings.js';
import { AloneFiles, type CarriedNames, type TextStore } from './files.js';
import { AloneHost, type AloneParts } from './host.js';
import { aloneLanguage, type Compile } from './language.js';

export { type LanguagePlugin, type Made, madeCode } from '../../instrument/made-code.js';
export { ComparedWorker, plainModules, WAYS_MODULE } from './comparing.js';
export { aloneLanguage } from './language.js';
export { AloneFiles, isNodeModule, type TextStore } from './files.js';
export type { FromPageFrame } from './page-frame.js';
export type { AloneParts, PadWorker } from './host.js';
export type { Compile } from './language.js';

export interface AlonePlace extends AloneParts {
  store: TextStore;
  carried: CarriedNames;
  settings?: ProjectSettings | undefined;
  /** Of the project's `package.json`. */
  type?: PackageType;
  compile?: Compile | undefined;
  /** What a language of the project makes of a file. */
  /** @param shows the file is a pad with a document */
  made?(file: string, text: string, shows?: boolean): Made | undefined;
}

const pageClock: Clock = {
  now: () => performance.now(),
  after(ms, callback) {
    const timer = setTimeout(callback, ms);
    return () => clearTimeout(timer);
  },
  whenIdle(ms, callback) {
    let asked: number | undefined;
    const timer = setTimeout(() => {
      asked = requestIdleCallback(callback);
    }, ms);
    return () => {
      clearTimeout(timer);
      if (asked !== undefined) cancelIdleCallback(asked);
    };
  },
};

/**
 * Makes a session; see {@link Session} for what it does and throws.
 *
 * @param page for a pad that has a document: its files, and the host that shows it
 */
export function createAloneSession(
  options: Omit<SessionOptions, 'target' | 'timeLimitMs' | 'hangMs'> & { timeLimitMs?: number; hangMs?: number },
  place: AlonePlace,
  page?: { files: Files; host(): Host },
): Session {
  const { timeLimitMs = Infinity, hangMs = 2_000 } = options;
  return new Session(
    { ...options, timeLimitMs, hangMs, target: page ? 'page' : 'worker' },
    {
      files: page?.files ?? filesOf(place),
      language: aloneLanguage(place.compile),
      clock: pageClock,
      host: () => page?.host() ?? new AloneHost(place),
    },
  );
}

/** The files of a place, for whoever adds to them. */
export function filesOf(place: AlonePlace): AloneFiles {
  return new AloneFiles(place.store, place.carried, place.settings, place.type, place.made);
}
