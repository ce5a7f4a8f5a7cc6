/**
 * What windows were told of the last run of a page: only a browser can run it, so whoever publishes it later has it
 * from here. Format `usher-anvil/last-run@1`, one file per page, readable by its owner only.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { readText } from '../../hosts/node/files.js';
import { stateFile, stateFolder, writeState } from '../../hosts/node/state-folder.js';
import type { ToWindow } from '../protocol.js';
import { digest } from './journal.js';
import type { Workbench } from './state.js';
import { tell } from './telling.js';
import { viewerOf } from './viewer.js';

const lastRun = z.object({
  format: z.literal('usher-anvil/last-run@1'),
  file: z.string(),
  /** What the names of files in it begin at. */
  root: z.string(),
  /** Digests of the texts that ran, by path. */
  texts: z.record(z.string(), z.string()),
  told: z.array(z.looseObject({ type: z.string() })),
});

/** Milliseconds from a run until it is written: more may be told of it. */
const SOON_MS = 1_500;
/** Characters that are worth being kept. */
const MOST = 2_000_000;

const waiting = new WeakMap<Workbench, NodeJS.Timeout>();

/** Keeps the run of the page that is shown, a moment later. */
export function keepLastPage(workbench: Workbench): void {
  if (waiting.has(workbench)) return;
  const timer = setTimeout(() => {
    waiting.delete(workbench);
    write(workbench);
  }, SOON_MS);
  timer.unref();
  waiting.set(workbench, timer);
}

/** The same at once, where one waits: the workbench ends. */
export function keepLastPageNow(workbench: Workbench): void {
  const timer = waiting.get(workbench);
  if (!timer) return;
  clearTimeout(timer);
  waiting.delete(workbench);
  write(workbench);
}

function write(workbench: Workbench): void {
  const { page, subject, folder, documents } = workbench;
  const record = subject?.record;
  // A run that failed, or has told nothing, is none that a reader is shown.
  if (!page || !record || record.file !== page.file || record.target === 'none' || record.outcome === 'syntax') return;
  const told = new Map<string, ToWindow>();
  const reader = viewerOf({
    send(message) {
      if (message.type === 'record' || message.type === 'shown') told.set(message.type, message);
    },
  });
  reader.file = record.file;
  tell(workbench, reader, record);
  const textOf = (file: string): string => documents.get(file)?.shared.text ?? readText(file);
  try {
    const texts = Object.fromEntries(record.program.files.map(({ file }) => [file, digest(textOf(file))]));
    const kept: z.infer<typeof lastRun> = {
      ...{ format: 'usher-anvil/last-run@1', file: record.file, root: folder.root, texts },
      told: [...told.values()] as { type: string }[],
    };
    const text = JSON.stringify(kept);
    if (text.length <= MOST) writeState(stateFile(join(folder.state, 'last-runs'), record.file), text);
  } catch {
    // A file that is gone, a disk that is full: the page is published without a last run.
  }
}

/**
 * @returns what windows were told of the last run of a page, and what names of files in it begin at; undefined where it
 * has not run as its files are now
 */
export function lastPage(file: string, state = stateFolder()): { root: string; told: ToWindow[] } | undefined {
  try {
    const kept = lastRun.parse(JSON.parse(readFileSync(stateFile(join(state, 'last-runs'), file), 'utf8')));
    const isSame =
      kept.file === file && Object.entries(kept.texts).every(([path, of]) => digest(readText(path)) === of);
    return isSame ? { root: kept.root, told: kept.told as unknown as ToWindow[] } : undefined;
  } catch {
    return undefined;
  }
}
