/** The hosts of a session, each made when it is first needed. */
import type { ModuleCode } from '../wire/modules.js';
import type { Host, HostKind } from './host.js';
import type { Linked } from './linked.js';
import type { SessionParts } from './options.js';
import { rehearsalModules } from './rehearsal.js';

export class Hosts {
  private readonly hosts = new Map<HostKind, Host>();
  /** What the pad asked for that only a process has, found while it ran. */
  needed: string | undefined;
  /** The session is closed. */
  isClosed = false;
  private rehearsal: ModuleCode[] | undefined;

  /** @param once one run is all: nothing is rehearsed for a next one */
  constructor(
    private readonly parts: SessionParts,
    private readonly once: boolean,
  ) {}

  /** The kind of host that a program needs. */
  kindFor(target: 'auto' | HostKind, needsProcess: string | undefined): HostKind {
    if (target === 'page') return 'page';
    const isNeeded = target === 'auto' && (needsProcess ?? this.needed) !== undefined;
    return target === 'process' || isNeeded ? 'process' : 'worker';
  }

  /** A host that is ready for a program. */
  ready(kind: HostKind, packages: Linked['packages']): Host {
    let host = this.hosts.get(kind);
    if (!host) {
      host = this.parts.host(kind);
      this.hosts.set(kind, host);
    }
    this.rehearsal ??= this.once ? [] : rehearsalModules(this.parts.files, this.parts.language);
    host.warm(packages, this.rehearsal);
    return host;
  }

  async close(): Promise<void> {
    await Promise.all([...this.hosts.values()].map((host) => host.close()));
    this.hosts.clear();
  }
}
