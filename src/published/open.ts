/** Opens what a page was published with, or what its address carries, in a workbench of this page. */
import type { AlonePlace } from '../hosts/alone/index.js';
import { isPageFile } from '../syntax/page-text.js';
import { Habits } from '../server/workbench/habits.js';
import { WorkbenchSession } from '../server/workbench/session.js';
import type { ToServer, ToWindow } from '../server/protocol.js';
import type { Connect } from '../workbench/connection.js';
import { published, type Published } from './format.js';
import { type Linked, readLink } from './link.js';
import { keepTexts } from './kept.js';
import { memory } from './memory.js';
import { additions } from './additions.js';
import { compileInPage } from './compilers.js';
import { carried, carriedScript, loadBeside, loadPart } from './parts.js';
import { runIn } from './platform/sessions.js';
import { SandboxedFrames } from './page-frames.js';
import { warmUp } from './warm.js';
import { SandboxedWorkers } from './workers.js';

const STATE = '/state';
/** Executes the pad, once it has begun. */
let again = (): void => undefined;

export interface Opened {
  connect: Connect;
  /** Nothing of it has run here yet. */
  hasBegun(): boolean;
  /** It runs now, and at each edit. */
  begin(): void;
  /** Shows what its last run looked like, once there is an editor to show it in. */
  tellLast(): void;
  /** Gets ready for the first edit, while it is read. */
  whileRead(): Promise<void>;
  /** The pad as it is now, for a link: texts, what the last run looked like, and the data that it read. */
  toLink(): Linked;
  /** Called once it does. */
  onBegin(listener: () => void): void;
  /** Why what the address carries could not be opened. */
  problem: string | undefined;
}

/** @throws ZodError where the page carries nothing that can be read */
export async function openPublished(): Promise<Opened> {
  addEventListener('hashchange', () => location.reload());
  const own = published.parse(JSON.parse(carried('published') ?? 'null'));
  const link = await readLink(location.hash);
  const given = link && 'pad' in link ? link.pad : own;
  for (const [path, content] of Object.entries(given.files))
    memory.write(path, typeof content === 'string' ? content : bytesOf(content.base64));
  // What was seen of the text that it came with says nothing of another one.
  if (keepTexts(given, `${STATE}/unsaved`)) given.last = [];
  additions.came(given);
  if (given.runs) additions.load();
  await loadParts(given);
  runIn(placeOf(own, given));
  const waits = !given.runs;
  new Habits(`${STATE}/habits`).choose(given.pad, { when: waits ? 'command' : 'edit', careful: false });
  const session = new WorkbenchSession({ root: '/', pad: given.pad, state: STATE, types: false, ownPads: true });
  return join(session, given, waits, link && 'problem' in link ? link.problem : undefined);
}

/** In a folder all come beside the page: at once where the pad needs them, else when it has long been read. */
async function loadParts(given: Published): Promise<void> {
  const isNeeded = {
    compiler: given.compiles,
    'whole-compiler': given.lowers === true,
    tables: Object.keys(given.files).some((file) => TABLE.test(file)),
    pages: isPageFile(given.pad),
    plots: false,
  };
  for (const [name, now] of Object.entries(isNeeded))
    // Of a file they are in it already; tables and what translates are evaluated elsewhere.
    if (now) await (name === 'pages' ? loadPart(name) : loadBeside(name));
    else if (name !== 'whole-compiler') setTimeout(() => void loadBeside(name), LATER_MS);
}

const LATER_MS = 3_000;

/** Files of separated values. */
const TABLE = /\.[ct]sv$/i;

function placeOf({ packages }: Published, { settings, type }: Published): AlonePlace {
  const [frame, thread] = [carriedScript('frame')!, carriedScript('thread')!];
  const workers = new SandboxedWorkers(frame, thread);
  SandboxedFrames.material = { script: frame, thread, packages: packages.code, alsoLost: () => workers.drop() };
  return {
    store: { textOf: memory.text, stampOf: (file) => String(memory.version(file)), names: memory.names },
    carried: { names: new Set(packages.names), broken: packages.broken ?? {} },
    packages: packages.code,
    tables: () => carriedScript('tables') ?? (globalThis as { usherAnvilTables?: string }).usherAnvilTables ?? '',
    settings,
    type,
    bytesOf: (file) => memory.read(file) ?? new Uint8Array(),
    worker: () => workers.make(),
    renew: () => workers.drop(),
    compile: compileInPage(() => again()),
    made: (file, text, shows = false) => additions.made(file, text, shows),
  };
}

function join(session: WorkbenchSession, given: Published, waits: boolean, problem: string | undefined): Opened {
  let begun = !waits;
  let record = given.last.find(({ type }) => type === 'record');
  let tell: (message: ToServer) => void = () => undefined;
  let hear: (message: ToWindow) => void = () => undefined;
  const listeners: (() => void)[] = [];
  again = () => void (begun && tell({ type: 'execute' }));
  const begin = (): void => {
    if (begun) return;
    begun = true;
    additions.load();
    tell({ type: 'when', when: 'edit' });
    for (const listener of listeners) listener();
  };
  const connect: Connect = (onMessage, onState, showing) => {
    hear = (message) => queueMicrotask(() => onMessage(message));
    const connection = session.connect({
      send(message) {
        const copy = copyOf(message);
        if (copy.type === 'record') record = { ...copy };
        hear(copy);
      },
    });
    tell = (message) => connection.receive(copyOf(message));
    queueMicrotask(() => {
      onState(true);
      const show = showing();
      tell({ type: 'hello', format: 'usher-anvil/window@2', ...(show === '' ? {} : { show }) });
    });
    return {
      send(message) {
        tell(message);
        // To change it, or to have it run, is to say that it may.
        if (message.type === 'edit' || message.type === 'execute') begin();
        return true;
      },
    };
  };
  return {
    ...{ connect, begin, problem },
    hasBegun: () => begun,
    onBegin: (listener) => void listeners.push(listener),
    toLink() {
      const { dataFile } = session;
      const folder = given.pad.slice(0, given.pad.lastIndexOf('/') + 1);
      const textOf = (path: string): string => session.openText(path) ?? memory.text(path) ?? '';
      const nameOf = (path: string): string => (path.startsWith(folder) ? path.slice(folder.length) : path);
      const others = Object.keys(given.files).filter((path) => path !== given.pad && path !== dataFile);
      return {
        name: nameOf(given.pad),
        text: textOf(given.pad),
        ...(others.length === 0
          ? {}
          : { files: Object.fromEntries(others.map((path) => [nameOf(path), textOf(path)])) }),
        ...(given.settings ? { settings: given.settings } : {}),
        ...(given.type ? { type: given.type } : {}),
        last: record ? [placed(record, folder.slice(1))] : [],
        ...(dataFile === undefined
          ? {}
          : { input: { name: dataFile.slice(dataFile.lastIndexOf('/') + 1), text: textOf(dataFile) } }),
      };
    },
    whileRead: () => (begun ? Promise.resolve() : warmUp(() => !begun)),
    tellLast() {
      if (!begun) for (const message of given.last) hear(message as unknown as ToWindow);
    },
  };
}

/** Names of files as a link has them: from the folder of the pad on. */
function placed<Message>(message: Message, folder: string): Message {
  return JSON.parse(
    JSON.stringify(message, (key, value: unknown) =>
      (key === 'file' || key === 'pad') && typeof value === 'string' && value.startsWith(folder)
        ? value.slice(folder.length)
        : value,
    ),
  ) as Message;
}

/** As over a wire: neither side holds what the other changes. */
function copyOf<Message>(message: Message): Message {
  return JSON.parse(JSON.stringify(message)) as Message;
}

function bytesOf(base64: string): Uint8Array {
  return Uint8Array.from(atob(base64), (character) => character.charCodeAt(0));
}
