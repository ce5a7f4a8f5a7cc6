/** Runs files of tests one after the other in processes that stay, several beside each other. */
import { readdirSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Host, RunHandle, RunRequest, RunSink } from '../../session/host.js';
import { PAD_LINKING } from '../../session/linker.js';
import type { ProgramFile } from '../../record/program.js';
import { quietRanges } from '../../session/program-facts.js';
import { Session } from '../../session/session.js';
import type { FileRun } from '../../session/test-folder.js';
import { Units } from '../../session/units.js';
import { outlineOf } from '../../syntax/outline.js';
import { EXTENSIONS, parse } from '../../syntax/parse.js';
import { declaresTests, importsTests } from '../../syntax/tests.js';
import type { Warmed } from '../../wire/runs.js';
import type { ModuleCode } from '../../wire/modules.js';
import { nodeClock } from './clock.js';
import { NodeFiles } from './files.js';
import { ProcessHost, WorkerHost, type NodeHostOptions } from './host.js';
import { nodeLanguage } from './language.js';
import { nodeOwnRuns } from './own-runs/index.js';

/** Milliseconds after which the run of one file is ended. */
const LIMIT_MS = 60_000;

/** One process for the runs of many sessions, of which one runs at a time. */
class SharedHost implements Host {
  private runs = 0;

  constructor(private readonly inner: WorkerHost | ProcessHost) {}

  get kind(): 'worker' | 'process' {
    return this.inner.kind;
  }

  /** Numbers of runs are of their sessions. */
  run(request: RunRequest, sink: RunSink): RunHandle {
    return this.inner.run({ ...request, id: ++this.runs }, sink);
  }

  warm(packages: readonly Warmed[], rehearsal: ModuleCode[]): void {
    this.inner.warm(packages, rehearsal);
  }

  /** The process stays. */
  close(): Promise<void> {
    return Promise.resolve();
  }

  end(): Promise<void> {
    return this.inner.close();
  }
}

export class TestRuns {
  private readonly files = new NodeFiles();
  private readonly units = new Units(this.files, nodeLanguage, PAD_LINKING);
  /** Hosts of which none runs just now, by kind. */
  private readonly free = { worker: [] as SharedHost[], process: [] as SharedHost[] };
  private readonly hosts: SharedHost[] = [];

  /** @param asked `reach`: what of the program each test reaches */
  constructor(
    private readonly options: NodeHostOptions,
    private readonly asked: { reach?: boolean } = {},
  ) {}

  start(file: string): FileRun {
    const used: { place: 'worker' | 'process'; host: SharedHost }[] = [];
    const session = new Session(
      { file, target: 'auto', timeLimitMs: LIMIT_MS, hangMs: LIMIT_MS, alone: true, ...this.asked },
      {
        files: this.files,
        language: nodeLanguage,
        clock: nodeClock,
        units: this.units,
        ownRuns: nodeOwnRuns,
        host: (kind) => {
          const place = kind === 'process' ? kind : 'worker';
          const host = this.free[place].pop() ?? this.made(place);
          used.push({ place, host });
          return host;
        },
      },
    );
    const record = (async () => {
      try {
        session.execute();
        return await session.settled();
      } finally {
        await session.close();
        for (const { place, host } of used) this.free[place].push(host);
      }
    })();
    return { record, files: () => session.files, cancel: () => session.stop() };
  }

  private made(kind: 'worker' | 'process'): SharedHost {
    const host = new SharedHost(kind === 'worker' ? new WorkerHost(this.options) : new ProcessHost(this.options));
    this.hosts.push(host);
    return host;
  }

  /** Files of tests below a folder: by what they are called, and others, as pads are, by what they import. */
  find(folder: string): string[] {
    const root = realpathSync(folder);
    return filesBelow(root).filter((path) => {
      // The folder's own name counts: it may be the one that holds the tests.
      const isNamed = NAMED.test(path.slice(dirname(root).length).replaceAll('\\', '/'));
      return (isNamed || (SOURCE.test(path) && this.mayImportTests(path))) && this.hasTests(path, isNamed);
    });
  }

  private mayImportTests(file: string): boolean {
    try {
      return IMPORTS_TESTS.test(this.files.read(file));
    } catch {
      return false;
    }
  }

  /** Files of code below a folder, as programs of which nothing has run; those that cannot be read are left out. */
  sources(folder: string): ProgramFile[] {
    return filesBelow(realpathSync(folder)).flatMap((file) => {
      if (!SOURCE.test(file) || NOT_SOURCE.test(file) || this.isBesideTests(file, folder)) return [];
      try {
        const unit = this.units.unit(file);
        const { outline, lines } = unit;
        if (!outline) return [];
        const { sites } = this.units.compiled(unit, false);
        return [{ file, unit: 0, base: 0, sites, lines, quiet: quietRanges(outline), notes: [] }];
      } catch {
        return [];
      }
    });
  }

  /** True for files below a folder that are there for tests. */
  isBesideTests(file: string, folder: string): boolean {
    const root = realpathSync(folder);
    return BESIDE_TESTS.test((file.startsWith(root) ? file.slice(root.length) : file).replaceAll('\\', '/'));
  }

  /** One that cannot be read as code is one of tests as long as its name says so. */
  private hasTests(file: string, isNamed: boolean): boolean {
    try {
      const parsed = parse(this.files.read(file), { file, packageType: this.files.packageType(file) });
      if (parsed.problems.length > 0) return isNamed;
      return isNamed ? declaresTests(outlineOf(parsed)) : importsTests(outlineOf(parsed));
    } catch {
      return false;
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.hosts.map((host) => host.end()));
  }
}

const SKIPPED = new Set([
  'node_modules',
  'dist',
  'build',
  'coverage',
  '__snapshots__',
  '__mocks__',
  '__fixtures__',
  'fixtures',
]);
const EXTENSION = EXTENSIONS.map((one) => one.slice(1)).join('|');
/** What people call files of tests, and folders that hold them. */
const NAMED = new RegExp(
  `(?:(?:^|[/._-])(?:test|tests|spec|specs)\\.(?:${EXTENSION})|/(?:__tests__|tests?|specs?)/.*\\.(?:${EXTENSION}))$`,
  'i',
);

const SOURCE = new RegExp(`\\.(?:${EXTENSION})$`, 'i');
const IMPORTS_TESTS = /['"](?:node:test|vitest|@jest\/globals|mocha)['"]/;
/** Settings, and declarations of types. */
const NOT_SOURCE = /\.(?:config|setup|d)\.[cm]?[jt]sx?$/i;
const BESIDE_TESTS =
  /(?:^|[/._-])(?:test|tests|spec|specs)\.\w+$|\/(?:__tests__|__mocks__|tests?|specs?|fixtures)\/|\/(?:setup|setup-?tests?|test-?(?:setup|utils?|helpers?))\.\w+$/i;

function filesBelow(folder: string): string[] {
  const found: string[] = [];
  const visit = (at: string): void => {
    for (const entry of entriesOf(at)) {
      const path = join(at, entry.name);
      if (!entry.isDirectory()) found.push(path);
      else if (!entry.name.startsWith('.') && !SKIPPED.has(entry.name)) visit(path);
    }
  };
  visit(folder);
  return found;
}

function entriesOf(folder: string): { name: string; isDirectory(): boolean }[] {
  try {
    return readdirSync(folder, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1));
  } catch {
    return [];
  }
}
