/**
 * The inside of a pad's thread in Node, the same in a worker and on a main
 * thread: puts together the runtime, what only Node can tell it, and the run.
 */
import { types } from 'node:util';
import type { MessagePort } from 'node:worker_threads';
import { Target } from '../../../runtime/target.js';
import type { TargetEngine } from '../../../runtime/target-engine.js';
import type { PadData, ToPad } from '../../../wire/messages.js';
import type { ModuleCode } from '../../../wire/modules.js';
import { holdCalls } from '../careful/careful.js';
import { Holding } from '../careful/hold.js';
import { stoppedLoops } from '../loops.js';
import { installScripts } from '../modules/commonjs.js';
import { watchProcess } from '../process-events.js';
import { placeRequests, watchRequests, type RequestLog } from '../requests.js';
import { Asking } from './asking.js';
import { standingThread } from '../pausing/standing.js';
import { OWN_PATH } from '../own-files.js';
import { nodeEngine } from './engine.js';
import { onLoading, whileLoading } from './frameworks/package-calls.js';
import { Ground } from './ground.js';
import { guardWaysOut, type WaysOut } from './guards.js';
import { makeImporter } from './importing.js';
import { takeOriginals, type Originals } from './originals.js';
import { guardStarting } from './started.js';
import { captureDescriptors, captureOutput, teeOutput } from './output.js';
import { painters } from './painters.js';
import { rehearse, warm } from './ready.js';
import { endableSends, importsPackages, receiveRuns, type Receiving } from './receiving.js';
import { PadRun } from './running.js';

/** Starts the pad's side on `port`; the thread then waits for its run. */
export function startPad(port: MessagePort, data: PadData): void {
  const originals = takeOriginals(port);
  const keeps = data.keeps === true && !data.careful;
  beginPad(port, data, originals, keeps ? new Ground(originals) : undefined, false);
}

/** @param again packages of an earlier run are loaded */
function beginPad(
  port: MessagePort,
  data: PadData,
  platform: Originals,
  ground: Ground | undefined,
  again: boolean,
): void {
  const { originals, end } = endableSends(platform);
  const { live, place } = data;
  const importer = makeImporter();
  /** Modules of the platform were changed for good. */
  let requestsPlaced = false;
  let hasPackages = false;
  const noteAddon = addonNotes(originals, place);
  const run = new PadRun(port, originals, data, importer, (modules) => {
    holding?.begin();
    hasPackages = importsPackages(modules);
    if (live || !usesRequests(modules)) return;
    requestsPlaced = true;
    placeRequests(requests, originals.builtin, disguise);
  });
  const handle = (message: ToPad): void => run.handle(message);
  run.asking = new Asking(originals, port, () => run.stage.idle, handle);
  let unwatch: () => void = () => undefined;
  let listen: (on: boolean) => void = () => undefined;
  let resume: () => string[] = () => [];
  const standing = standingThread<ToPad>({
    originals,
    send: (message) => originals.send(message),
    port,
    handle,
    isMain: place === 'process',
  });
  const engine = nodeEngine({
    originals,
    live,
    importer,
    asking: run.asking,
    noteAddon,
    resume: () => resume(),
    listen: (on) => listen(on),
    standing,
    uncaught: (error) => void (run.end.handled(error) || uncaught(error, 'uncaught')),
  });
  engine.pictures = picturesOf(originals, run);
  // Other threads know nothing of what a careful run holds.
  if (!data.careful) engine.helpers = painters(originals);
  onLoading((begins) => originals.send({ type: 'loading', begins }));
  const target = (run.target = new Target(engine));
  engine.scripts = scriptsOf(target, () => run.stage.running, again);
  const uncaught = (error: unknown, kind: 'uncaught' | 'rejection' | 'thrown'): boolean => (
    noteAddon(error),
    run.uncaught(error, kind)
  );
  run.end = watchProcess({
    ...(live ? {} : { drained: (tell) => void run.drained(tell) }),
    leaving: () => (standing.end(), run.exitCode()),
    uncaught,
  });
  engine.uncaught = (error) => run.end.handled(error) || (uncaught(error, 'thrown'), true);
  engine.unsettled = () => (run.stage.unsettled = true);
  target.install();
  target.parts.registry.patches.onStopped = () => originals.send({ type: 'live', event: { is: 'undone' } });
  const requests = requestLog(target, originals);
  const disguise = (made: object, original: object): void => target.parts.disguises.set(made, original);
  if (live) {
    const stopped = stoppedLoops();
    resume = () => stopped.resume();
    run.noteStopped = () => stopped.note();
    listen = teeOutput(
      (stream, text, omitted) => originals.send({ type: 'live', event: { is: 'output', stream, text, omitted } }),
      originals.timers,
      target.parts.console,
    );
  } else unwatch = watchRequests(requests, disguise);
  guardStarting(originals, data, disguise);
  guardWaysOut(originals, place, waysOutOf(run), disguise);
  const holding = data.careful ? careful(originals, port, run, data, disguise) : undefined;
  if (live) endWithoutReader(target, originals);
  else {
    captureOutput(target);
    captureDescriptors(target, originals);
  }
  receiveRuns({
    ...{ port, run, importer, originals, ground },
    mayKeep: () => (target.framework?.mayRunAgain ?? hasPackages) && !requestsPlaced,
    leave() {
      end();
      unwatch();
    },
    again: () => beginPad(port, { ...data, warm: [], rehearsal: [] }, platform, ground, true),
  });
  ground?.settle();
  if (again) return;
  getReady(engine, data, { importer, originals, ground });
}

function getReady(
  engine: TargetEngine,
  data: PadData,
  { importer, originals, ground }: Pick<Receiving, 'importer' | 'originals' | 'ground'>,
): void {
  // The engine warns once of an option it calls experimental; a pad is not to see a warning that is not its own.
  const { emitWarning } = process;
  process.emitWarning = () => undefined;
  const first = [{ specifier: 'node:fs', from: OWN_PATH }, ...data.warm];
  void warm(importer, first, originals.now).then(async (loadMs) => {
    await rehearse(engine, data.rehearsal);
    process.emitWarning = emitWarning;
    ground?.ready();
    originals.send({ type: 'ready', loadMs });
  });
}

/** Holds what changes something outside of the pad. */
function careful(
  originals: Originals,
  port: MessagePort,
  run: PadRun,
  { place }: PadData,
  disguise: (made: object, original: object) => void,
): Holding {
  const holding = new Holding(
    originals,
    port,
    () => run.target,
    (message) => run.handle(message),
    (what) => {
      if (!run.alone) return;
      run.leave('held', what);
      originals.exit(1);
    },
  );
  holdCalls(holding, originals, place === 'process', disguise);
  return holding;
}

/** Tells the session of an add-on that a worker cannot load. */
function addonNotes({ send }: Originals, place: PadData['place']): (error: unknown) => void {
  return (error) => {
    if (place !== 'worker' || !types.isNativeError(error)) return;
    if ((error as { code?: string }).code === 'ERR_DLOPEN_FAILED' && /self-register|context-aware/i.test(error.message))
      send({ type: 'needs-process', what: 'native add-on that needs the main thread' });
  };
}

function usesRequests(modules: readonly ModuleCode[]): boolean {
  return modules.some(({ links, dynamic }) =>
    [...links, ...Object.values(dynamic)].some((link) => /^(node:)?https?$/.test(link.specifier)),
  );
}

function waysOutOf(run: PadRun): WaysOut {
  return {
    asked: () => (run.stage.asked = true),
    exitCode: (code) => run.end.exit(code),
    leave: (reason, code) => run.leave(reason, code),
  };
}

/** How scripts that the platform loads by itself come to the registry. */
function scriptsOf(
  { parts: { registry, disguises } }: Target,
  isRunning: () => boolean,
  keep: boolean,
): ReturnType<typeof installScripts> {
  return installScripts(
    {
      disguise: (made, original) => disguises.set(made, original),
      codeFor: (file) => (isRunning() ? registry.codeFor(file) : undefined),
      run: (file, scope) => registry.script(file, scope),
      requireModule: (file) => registry.requireModule(file),
      given: (specifier, from) => registry.requireGiven(specifier, from),
      loadPackage: whileLoading,
      givenToPackages: (specifier) => registry.replacing.ofPackages(specifier),
      resolve(specifier, from) {
        const link = isRunning() ? registry.linkOf(specifier, from) : undefined;
        if (link?.kind === 'local') return { file: link.target };
        return link?.base !== undefined ? { base: link.base } : undefined;
      },
      projectFirst: (file) => /\.[cm]?tsx?$/i.test(file),
    },
    OWN_PATH,
    keep,
  );
}

function requestLog(target: Target, originals: Originals): RequestLog {
  return {
    begin: (entry, frames) => target.request(entry, frames),
    update: (entry) => target.parts.requests.changed(entry),
    body: (entry, value) => target.parts.requests.changed(entry, { value }),
    failed: (entry, error) => target.parts.requests.changed(entry, undefined, error),
    now: () => originals.now(),
    frames: () => target.here(),
  };
}

/** Nobody reads what a live program prints any more: that ends any program which does not listen for it. */
function endWithoutReader(target: Target, originals: Originals): void {
  for (const stream of [process.stdout, process.stderr])
    stream.on('error', (error: NodeJS.ErrnoException) => {
      if (stream.listenerCount('error') > 1) return;
      if (error.code === 'EPIPE') originals.exit(1);
      target.fail(error, 'uncaught');
    });
}

/** Calls back for pictures of an animation, for which the program goes on. */
function picturesOf({ timers }: Originals, run: PadRun): (ms: number, callback: () => void) => void {
  return (ms, callback) => {
    const timer = timers.setTimeout(callback, ms);
    // Where one run is all, or each step is told, one picture is.
    if (run.alone || run.stage.tellsSteps) timer.unref();
  };
}
