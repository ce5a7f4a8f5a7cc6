/** Reads the variables of all calls of this thread that are active, through the engine's own debugger. */
import type { CallScopes } from '../../../runtime/reports/early-frames.js';
import * as own from '../../../runtime/originals.js';
import type { Originals } from './originals.js';

/** Under this name the debugger hands over what it has read, while it does. */
const HANDED = '$uaHandedOver';

interface Inspector {
  Session: new () => {
    connect(): void;
    disconnect(): void;
    on(event: 'Debugger.paused', listener: (message: { params: { callFrames: Frame[] } }) => void): void;
    post(method: string, params?: object): void;
  };
}

interface Frame {
  this: { objectId?: string; value?: unknown };
  scopeChain: { type: string; object: { objectId?: string } }[];
}

/**
 * @param most calls that are read, from the innermost out
 * @returns the calls, the innermost first; none where the engine has no debugger
 */
export function readScopes({ builtin }: Pick<Originals, 'builtin'>, most: number): CallScopes[] {
  const calls: CallScopes[] = [];
  let session: InstanceType<Inspector['Session']>;
  try {
    session = new (builtin('node:inspector') as Inspector).Session();
    session.connect();
  } catch {
    return calls;
  }
  const take = (call: CallScopes, isSelf: boolean, object: unknown): void => {
    if (isSelf) call.self = object;
    else own.append(call.scopes, object as object);
  };
  const read = (objectId: string, call: CallScopes, isSelf: boolean): void => {
    Object.defineProperty(globalThis, HANDED, {
      value: (object: unknown) => take(call, isSelf, object),
      configurable: true,
    });
    session.post('Runtime.callFunctionOn', {
      objectId,
      functionDeclaration: `function(){${HANDED}(this)}`,
      silent: true,
    });
  };
  session.on('Debugger.paused', ({ params: { callFrames } }) => {
    for (let i = 0; i < callFrames.length && i < most; i++) {
      const { this: self, scopeChain } = callFrames[i]!;
      const call: CallScopes = { scopes: [], self: self.value };
      for (let k = 0; k < scopeChain.length; k++) {
        const { type, object } = scopeChain[k]!;
        if (type !== 'global' && type !== 'script' && object.objectId !== undefined) read(object.objectId, call, false);
      }
      if (self.objectId !== undefined) read(self.objectId, call, true);
      own.append(calls, call);
    }
    session.post('Debugger.resume');
  });
  try {
    session.post('Debugger.enable');
    session.post('Debugger.pause');
    passed();
  } finally {
    Reflect.deleteProperty(globalThis, HANDED);
    session.disconnect();
  }
  return calls;
}

/** A call at which the debugger stops. */
function passed(): number {
  return 0;
}
