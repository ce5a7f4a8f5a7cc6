/** What the engine's own debugger tells of this thread while it stands still: its frames, with all their variables. */
import type { EnginePlace, EngineScope, StoppedThread } from '../../../runtime/pausing/engine.js';
import * as own from '../../../runtime/originals.js';
import type { Originals } from '../pad/originals.js';

const { deleteProperty } = Reflect;
const { BigInt: bigInt } = globalThis;

/** Under this name the debugger hands over what it has found, while it does. */
const HANDED = '$uaHandedOver';
/** Milliseconds that code which is evaluated in a frame may take. */
const PATIENCE_MS = 5_000;

export interface RemoteObject {
  objectId?: string;
  value?: unknown;
  unserializableValue?: string;
}

export interface CallFrame {
  callFrameId: string;
  functionName: string;
  location: { scriptId: string; lineNumber: number; columnNumber?: number };
  this: RemoteObject;
  returnValue?: RemoteObject;
  scopeChain: { type: string; object: RemoteObject }[];
}

export interface PausedEvent {
  callFrames: CallFrame[];
  reason: string;
  data?: RemoteObject & { uncaught?: boolean };
}

interface Session {
  connect(): void;
  disconnect(): void;
  on(event: 'Debugger.paused', listener: (message: { params: PausedEvent }) => void): void;
  on(event: 'Debugger.scriptParsed', listener: (message: { params: { scriptId: string; url: string } }) => void): void;
  post(method: string, params: object, done: (error: Error | null, result?: unknown) => void): void;
}

const SCOPES: Readonly<Record<string, EngineScope['kind'] | undefined>> = own.plain({
  local: 'local',
  block: 'block',
  catch: 'catch',
  closure: 'closure',
  eval: 'closure',
  module: 'module',
  with: 'with',
});

/** Places of frames, from names of code by the engine's numbers. */
export function placesOf(
  callFrames: readonly CallFrame[],
  scripts: { get(id: string): string | undefined },
): EnginePlace[] {
  const places: EnginePlace[] = [];
  for (let i = 0; i < callFrames.length; i++) {
    const { functionName, location, returnValue } = callFrames[i]!;
    own.append(places, {
      name: functionName,
      file: scripts.get(location.scriptId) ?? '',
      line: location.lineNumber,
      character: location.columnNumber ?? 0,
      isReturn: returnValue !== undefined,
    });
  }
  return places;
}

export class ThreadFrames {
  private session: Session | undefined;
  /** Names of code, by the engine's numbers. */
  private readonly scripts = own.safeMap<string, string>();
  private readonly patterns: RegExp;

  /**
   * @param passedBy patterns of files in which steps never end: the engine passes by what all of its sessions do
   * @param paused called when the engine stops this thread while it is open
   */
  constructor(
    private readonly builtin: Originals['builtin'],
    private readonly passedBy: readonly string[],
    private readonly paused: (event: PausedEvent) => void,
  ) {
    this.patterns = new RegExp(passedBy.join('|'));
  }

  /** No step ends in the code of that number. */
  isPassedBy(scriptId: string): boolean {
    return own.test(this.patterns, this.scripts.get(scriptId) ?? '');
  }

  get isOpen(): boolean {
    return this.session !== undefined;
  }

  /** @returns false where the engine was built without a debugger */
  open(): boolean {
    if (this.session) return true;
    try {
      const { Session } = this.builtin('node:inspector') as { Session: new () => Session };
      const session = new Session();
      session.connect();
      this.session = session;
      session.on('Debugger.scriptParsed', ({ params: { scriptId, url } }) => void this.scripts.set(scriptId, url));
      session.on('Debugger.paused', ({ params }) => this.paused(params));
      this.post('Debugger.enable');
      this.post('Debugger.setBlackboxPatterns', { patterns: this.passedBy });
      return true;
    } catch {
      this.session = undefined;
      return false;
    }
  }

  close(): void {
    const { session } = this;
    this.session = undefined;
    this.scripts.clear();
    session?.disconnect();
  }

  post<T = object>(method: string, params: object = {}): T | Error {
    let given: T | Error = new own.ErrorCopy(`${method} is not answered`);
    this.session!.post(method, params, (error, result) => (given = error ?? (result as T)));
    return given;
  }

  /** The thread as it stands. @param callFrames gives its frames when they are asked for */
  stopped(
    places: EnginePlace[],
    callFrames: () => readonly CallFrame[],
    thrown: StoppedThread['thrown'],
  ): StoppedThread {
    return {
      places,
      ...(thrown ? { thrown } : {}),
      scopes: (frame) => this.scopesOf(callFrames()[frame]),
      evaluate: (frame, code) => this.evaluate(callFrames()[frame], code),
    };
  }

  places(callFrames: readonly CallFrame[]): EnginePlace[] {
    return placesOf(callFrames, this.scripts);
  }

  private scopesOf(frame: CallFrame | undefined): { scopes: EngineScope[]; self: unknown } {
    const scopes: EngineScope[] = [];
    if (!frame) return { scopes, self: undefined };
    for (let i = 0; i < frame.scopeChain.length; i++) {
      const { type, object } = frame.scopeChain[i]!;
      const kind = SCOPES[type];
      const found = kind === undefined ? undefined : this.valueOf(object);
      if (kind !== undefined && typeof found === 'object' && found !== null)
        own.append(scopes, { kind, object: found });
    }
    return { scopes, self: this.valueOf(frame.this) };
  }

  /** The value behind the debugger's description of it. */
  valueOf({ objectId, value, unserializableValue }: RemoteObject): unknown {
    if (objectId === undefined) return unserializableValue === undefined ? value : numberOf(unserializableValue);
    let found: unknown;
    this.whileHanding(
      (object) => (found = object),
      () =>
        this.post('Runtime.callFunctionOn', {
          objectId,
          functionDeclaration: `function(){${HANDED}(this)}`,
          silent: true,
        }),
    );
    return found;
  }

  private whileHanding<T>(take: (value: unknown) => void, work: () => T): T {
    own.defineProperty(globalThis, HANDED, {
      value: (value: unknown) => {
        take(value);
      },
      configurable: true,
    });
    try {
      return work();
    } finally {
      deleteProperty(globalThis, HANDED);
    }
  }

  private evaluate(
    frame: CallFrame | undefined,
    code: string,
  ): { value: unknown } | { thrown: unknown } | { why: string } {
    if (!frame) return { why: 'its frames cannot be read' };
    let found: { value: unknown } | undefined;
    const given = this.whileHanding(
      (value) => (found = { value }),
      () =>
        this.post<{ exceptionDetails?: { exception?: RemoteObject; text: string } }>('Debugger.evaluateOnCallFrame', {
          callFrameId: frame.callFrameId,
          expression: `${HANDED}((\n${code}\n))`,
          silent: true,
          timeout: PATIENCE_MS,
        }),
    );
    if (given instanceof own.ErrorCopy) return { why: given.message };
    if (found) return found;
    const { exceptionDetails } = given;
    if (exceptionDetails?.exception) return { thrown: this.valueOf(exceptionDetails.exception) };
    return { why: exceptionDetails?.text ?? `it did not end within ${PATIENCE_MS / 1_000} s` };
  }
}

/** `NaN`, `-0`, `Infinity`, and large integers. */
function numberOf(text: string): unknown {
  if (own.test(/^-?\d+n$/, text)) return bigInt(own.slice(text, 0, text.length - 1));
  return text === '-0' ? -0 : own.NumberCopy(text);
}
