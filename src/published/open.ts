/** Opens what a page was published with, or what its address carries, in a workbench of this page. */
import type { AlonePlace } from '../hosts/alone/index.js';
import { Habits } from '../server/workbench/habits.js';
import { WorkbenchSession } from '../server/workbench/session.js';
import type { ToServer, ToWindow } from '../server/protocol.js';
import type { Connect } from '../workbench/connection.js';
import { compile } from './compiler.js';
import { published, PUBLISHED, type Published } from './format.js';
import { readLink } from './link.js';
import { memory } from './memory.js';
import { runIn } from './platform/sessions.js';

const STATE = '/state';

export interface Opened {
  connect: Connect;
  /** Who wrote it is not who opens it: nothing runs until they say so. */
  waits: boolean;
  /** Nothing of it has run here yet. */
  hasBegun(): boolean;
  /** It runs now, and at each edit. */
  begin(): void;
  /** Shows what its last run looked like, once there is an editor to show it in. */
  tellLast(): void;
  /** Called once it does. */
  onBegin(listener: () => void): void;
  /** Why what the address carries could not be opened. */
  problem: string | undefined;
}

/** @throws ZodError where the page carries nothing that can be read */
export async function openPublished(): Promise<Opened> {
  const carried = published.parse(JSON.parse(textOf('usher-anvil-published') ?? 'null'));
  const link = await readLink(location.hash);
  const given = link && 'pad' in link ? link.pad : carried;
  for (const [path, content] of Object.entries(given.files))
    memory.write(path, typeof content === 'string' ? content : bytesOf(content.base64));
  runIn(placeOf(carried, given));
  const waits = !given.runs;
  new Habits(`${STATE}/habits`).choose(given.pad, { when: waits ? 'command' : 'edit', careful: false });
  const session = new WorkbenchSession({ root: '/', pad: given.pad, state: STATE, types: false, ownPads: true });
  return join(session, given, waits, link && 'problem' in link ? link.problem : undefined);
}

function placeOf({ packages }: Published, { settings }: Published): AlonePlace {
  const code = JSON.parse(textOf('usher-anvil-thread')!) as string;
  const address = URL.createObjectURL(new Blob([code], { type: 'text/javascript' }));
  return {
    store: { textOf: memory.text, stampOf: (file) => String(memory.version(file)), names: memory.names },
    names: new Set(packages.names),
    packages: packages.code,
    settings: settings as AlonePlace['settings'],
    bytesOf: (file) => memory.read(file) ?? new Uint8Array(),
    worker: () => new Worker(address),
    compile,
  };
}

function join(session: WorkbenchSession, given: Published, waits: boolean, problem: string | undefined): Opened {
  let begun = !waits;
  let tell: (message: ToServer) => void = () => undefined;
  let hear: (message: ToWindow) => void = () => undefined;
  const listeners: (() => void)[] = [];
  const begin = (): void => {
    if (begun) return;
    begun = true;
    tell({ type: 'when', when: 'edit' });
    for (const listener of listeners) listener();
  };
  const connect: Connect = (onMessage, onState, showing) => {
    hear = (message) => queueMicrotask(() => onMessage(message));
    const connection = session.connect({ send: (message) => hear(copyOf(message)) });
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
    ...{ connect, waits, begin, problem },
    hasBegun: () => begun,
    onBegin: (listener) => void listeners.push(listener),
    tellLast() {
      if (!begun) for (const message of given.last) hear(message as unknown as ToWindow);
    },
  };
}

/** As over a wire: neither side holds what the other changes. */
function copyOf<Message>(message: Message): Message {
  return JSON.parse(JSON.stringify(message)) as Message;
}

function textOf(id: string): string | undefined {
  return document.getElementById(id)?.textContent ?? undefined;
}

function bytesOf(base64: string): Uint8Array {
  return Uint8Array.from(atob(base64), (character) => character.charCodeAt(0));
}

export { PUBLISHED };
