/** What serves files that are open in an editor: a pad's workbench in this process, or that of a live program. */
import { realpathSync } from 'node:fs';
import { relative, resolve, sep } from 'node:path';
import { benchOn } from '../server/program-bench.js';
import type { WorkbenchConnector } from '../server/server.js';
import { WorkbenchSession, type WorkbenchConnection } from '../server/workbench/session.js';
import type { WorkbenchWindow } from '../server/workbench/viewer.js';
import type { Registration } from '../server/targets.js';
import { joinTarget } from '../server/window.js';

export interface CallingPad {
  extension: string;
  text: string;
}

export interface Bench {
  /** `pad`: it executes here; `live`: a program that runs on by itself. */
  readonly kind: 'pad' | 'live';
  /** Name of the pad's file or of the program, for people. */
  readonly name: string;
  /** Local files that take part, by path. */
  readonly files: readonly string[];
  /** The path of a file by the name that its messages have, and the other way round. */
  pathOf(name: string): string;
  nameOf(path: string): string;
  connect(window: WorkbenchWindow): WorkbenchConnection;
  close(): Promise<void>;
}

function namesBelow(root: string): Pick<Bench, 'pathOf' | 'nameOf'> {
  return {
    pathOf: (name) => resolve(root, name),
    nameOf: (path) => {
      const name = relative(root, path);
      return name.startsWith('..') ? path : name.split(sep).join('/');
    },
  };
}

/** The workbench of one pad, whose text and modules' texts an editor may hold. */
export class PadBench implements Bench {
  readonly kind = 'pad';
  readonly pathOf: Bench['pathOf'];
  readonly nameOf: Bench['nameOf'];
  private readonly session: WorkbenchSession;

  /** @param root folder of the project */
  constructor(
    readonly pad: string,
    readonly root: string,
    options: { state?: string; ownPads?: boolean } = {},
  ) {
    ({ pathOf: this.pathOf, nameOf: this.nameOf } = namesBelow(root));
    // The editor's own support tells of types.
    this.session = new WorkbenchSession({ root, textsElsewhere: true, types: false, ...options });
  }

  get name(): string {
    return this.nameOf(this.pad);
  }

  get files(): readonly string[] {
    return this.session.files;
  }

  get texts(): WorkbenchSession['texts'] {
    return this.session.texts;
  }

  connect(window: WorkbenchWindow): WorkbenchConnection {
    return this.session.connect(window);
  }

  /** A pad that calls the function at a place. @throws AnvilError `E_CANNOT_TRY` where that cannot be */
  callingPad(at: Parameters<WorkbenchSession['callingPad']>[0], folder: string): Promise<CallingPad> {
    return this.session.callingPad(at, folder);
  }

  /** The process ends by itself at once. */
  leave(): void {
    this.session.leave();
  }

  close(): Promise<void> {
    return this.session.close();
  }
}

/** The workbench of a live program, over its door. */
export class LiveBench implements Bench {
  readonly kind = 'live';
  /** Newest registration of the program. */
  target: Registration;

  private constructor(
    target: Registration,
    private readonly connector: WorkbenchConnector,
    readonly pathOf: Bench['pathOf'],
    readonly nameOf: Bench['nameOf'],
  ) {
    this.target = target;
  }

  /** @throws AnvilError `E_TARGET` when the program does not answer */
  static async join(target: Registration): Promise<LiveBench> {
    const window = await joinTarget(target.address, target.token, {});
    const { root } = await window.ask('describe', {});
    window.close();
    const { pathOf, nameOf } = namesBelow(realpathSync(root));
    return new LiveBench(target, await benchOn(target), pathOf, nameOf);
  }

  get name(): string {
    return this.target.name;
  }

  get files(): readonly string[] {
    return this.target.files;
  }

  connect(window: WorkbenchWindow): WorkbenchConnection {
    return this.connector.connect(window);
  }

  async close(): Promise<void> {
    await this.connector.close?.();
  }
}
