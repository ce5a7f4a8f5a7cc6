/** Live programs of the person, as they come and go: each is joined once a file that it has is open. */
import { mkdirSync } from 'node:fs';
import { watch, type FSWatcher } from 'chokidar';
import { type Registration, targets, targetsFolder } from '../server/targets.js';
import { LiveBench } from './bench.js';

/** Milliseconds after which changed registrations are read. */
const TOGETHER_MS = 60;

export class Programs {
  private readonly joined = new Map<string, LiveBench>();
  private readonly joining = new Set<string>();
  private known: Registration[] = [];
  private readonly watcher: FSWatcher;
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  /** @param changed called when programs came or went, or have loaded other files */
  constructor(private readonly changed: () => void) {
    const folder = targetsFolder();
    try {
      mkdirSync(folder, { recursive: true, mode: 0o700 });
    } catch {
      // Where none can register, none is found.
    }
    this.watcher = watch(folder, { ignoreInitial: true, depth: 0 });
    this.watcher.on('all', () => this.readSoon());
    this.watcher.on('error', () => undefined);
    this.read();
  }

  get all(): readonly Registration[] {
    return this.known;
  }

  /** The program that has loaded a file; the one that was started last where several have. */
  of(path: string): LiveBench | undefined {
    const found = this.known.findLast((one) => one.files.includes(path));
    if (!found) return undefined;
    const bench = this.joined.get(found.address);
    if (!bench) void this.join(found);
    return bench;
  }

  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await Promise.all([this.watcher.close(), ...[...this.joined.values()].map((one) => one.close())]);
  }

  private readSoon(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.read();
      this.changed();
    }, TOGETHER_MS);
  }

  private read(): void {
    try {
      this.known = targets();
    } catch {
      this.known = [];
    }
    const addresses = new Map(this.known.map((one) => [one.address, one]));
    for (const [address, bench] of this.joined) {
      const target = addresses.get(address);
      if (target) bench.target = target;
      else {
        this.joined.delete(address);
        void bench.close();
      }
    }
  }

  private async join(target: Registration): Promise<void> {
    const { address } = target;
    if (this.joining.has(address) || this.closed) return;
    this.joining.add(address);
    try {
      const bench = await LiveBench.join(target);
      if (this.closed) await bench.close();
      else {
        this.joined.set(address, bench);
        this.changed();
      }
    } catch {
      // It is ending, or has not begun yet: its registration will change.
    } finally {
      this.joining.delete(address);
    }
  }
}
