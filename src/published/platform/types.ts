/** The page came without a type checker. */
import type * as Node from '../../hosts/node/types.js';

export class TypeChecker implements Pick<Node.TypeChecker, 'check' | 'assist' | 'close'> {
  check(): Promise<[]> {
    return Promise.resolve([]);
  }

  assist(): Promise<undefined> {
    return Promise.resolve(undefined);
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}
