/**
 * What a window may ask, each with what is done for it. A new message gets a line here and a schema in the protocol.
 */
import { PROTOCOL, type AddedHere, type ToServer } from '../protocol.js';
import { basename, dirname } from 'node:path';
import { additionsFor, additionsText, configFor } from '../../hosts/node/project/additions.js';
import { lookOf } from '../../instrument/made-code.js';
import { digest } from './journal.js';
import { comparisonsOf } from './comparisons.js';
import { askEntry, layBeside, pickEntry, showServing } from './entries.js';
import { compareWithBefore } from './slower.js';
import { enteredBefore } from './entered.js';
import { startMessage } from '../start/page.js';
import { move, newPad, openExample, putBack, remove, untitled, tellFiles } from './file-actions.js';
import { assist } from './assisting.js';
import { select } from './selecting.js';
import { tryInPad } from './trying.js';
import { again, apply, complete, enter, hold, reset, runWaiting, stored, undo } from './live-actions.js';
import { actOnHeld, changeBreakpoint, goOn, showFrame, stopAtErrors, switchHolding } from './holding.js';
import { heldMessage, stoppableOf } from './presenters/held.js';
import { follow, hover, inspect, look, moveTo, see, step } from './looking.js';
import {
  addPackage,
  execute,
  makePad,
  runWithStops,
  setCareful,
  setInput,
  setWhen,
  share,
  tellSizes,
  turnTypes,
  writeDials,
} from './running.js';
import { actOnPage, tellPage } from './pages.js';
import type { Workbench } from './state.js';
import { edit, save, settle, show, tellWhole } from './texts.js';
import type { Viewer } from './viewer.js';
import { walk } from './walking.js';

type Handler<Type extends ToServer['type']> = (
  workbench: Workbench,
  viewer: Viewer,
  message: Extract<ToServer, { type: Type }>,
) => unknown;

const HANDLERS: { readonly [Type in ToServer['type']]: Handler<Type> } = {
  hello: welcome,
  // Texts.
  show: (workbench, viewer, { file, run }) => show(workbench, viewer, workbench.pathOf(file), run),
  edit: (workbench, viewer, { file, ...edits }) => edit(workbench, viewer, workbench.pathOf(file), edits),
  save: (workbench, _viewer, { file }) => save(workbench, workbench.pathOf(file)),
  whole: (workbench, viewer, { file }) => tellWhole(workbench, viewer, workbench.pathOf(file)),
  settle: (workbench, _viewer, { file, take }) => settle(workbench, workbench.pathOf(file), take),
  start: (workbench, { window }) => window.send(startMessage(workbench)),
  new: (workbench, viewer, message) => newPad(workbench, viewer, message),
  move: (workbench, viewer, { file, to }) => move(workbench, viewer, workbench.pathOf(file), to),
  delete: (workbench, _viewer, { file }) => remove(workbench, workbench.pathOf(file)),
  undelete: (workbench, viewer) => putBack(workbench, viewer),
  example: (workbench, viewer, { name }) => openExample(workbench, viewer, name),
  try: (workbench, viewer, { file, line, character }) =>
    tryInPad(workbench, viewer, { file: workbench.pathOf(file), line, character }),
  // Runs of a pad.
  execute: (workbench) => execute(workbench),
  careful: (workbench, _viewer, { on }) => setCareful(workbench, on),
  additions: (workbench) => letAdditions(workbench),
  when: (workbench, _viewer, { when }) => setWhen(workbench, when),
  drop: (workbench) => workbench.guarded(() => workbench.pad?.drop()),
  stop: (workbench) => workbench.pad?.stop(),
  alone: (workbench, _viewer, { path }) =>
    workbench.guarded(() => (path === null ? workbench.subject?.execute() : workbench.pad?.testAlone(path))),
  turn: (workbench, _viewer, { name, value }) => workbench.guarded(() => workbench.pad?.dials.turn(name, value)),
  dials: (workbench, viewer, message) =>
    message.do === 'reset' ? workbench.guarded(() => workbench.pad?.dials.reset()) : writeDials(workbench, viewer),
  act: (workbench, _viewer, { action }) => workbench.pad?.act(action),
  data: (workbench, _viewer, { name, text }) => setInput(workbench, name, text),
  add: (workbench, viewer, message) => addPackage(workbench, viewer, message.package),
  sizes: (workbench, viewer) => tellSizes(workbench, viewer),
  types: (workbench, _viewer, { on }) => turnTypes(workbench, on),
  export: (workbench, viewer, { format, lines }) => share(workbench, viewer, format, lines),
  // Looking.
  cursor: (workbench, viewer, { moment }) => moveTo(workbench, viewer, moment ?? Infinity),
  step: (workbench, viewer, { file, line, character, by }) =>
    step(workbench, viewer, { file: workbench.pathOf(file), line, character }, by),
  hover: (workbench, viewer, { ask, file, line, character }) =>
    hover(workbench, viewer, ask, { file: workbench.pathOf(file), line, character }),
  inspect: (workbench, viewer, { file, line, ask }) => inspect(workbench, viewer, workbench.pathOf(file), line, ask),
  assist: (workbench, viewer, message) =>
    assist(workbench, viewer, { ...message, file: workbench.pathOf(message.file) }),
  select: (workbench, viewer, { ask, file, start, end }) =>
    select(workbench, viewer, ask, { file: workbench.pathOf(file), start, end }),
  sees: (workbench, viewer, { file, from, to }) => see(workbench, viewer, workbench.pathOf(file), { from, to }),
  follow: (workbench, viewer, { shape }) => follow(workbench, viewer, shape),
  walk: (workbench, viewer, message) => walk(workbench, viewer, message),
  look: (workbench, viewer, { ask, request }) => look(workbench, viewer, ask, request),
  page: (workbench, _viewer, message) =>
    actOnPage(workbench, message, (document) => makePad(workbench, document, true)),
  // Programs that run on.
  enter: (workbench, viewer, message) => enter(workbench, viewer, message),
  complete: (workbench, viewer, { ask, file, text }) => complete(workbench, viewer, ask, workbench.pathOf(file), text),
  shut: (workbench, _viewer, { file }) => workbench.live?.session.openFunction(workbench.pathOf(file), undefined),
  hold: (workbench, viewer, { file, text }) => hold(workbench, viewer, workbench.pathOf(file), text),
  apply: (workbench, viewer, { file }) => apply(workbench, viewer, workbench.pathOf(file)),
  stored: (workbench, _viewer, { file }) => stored(workbench, workbench.pathOf(file)),
  undo: (workbench, viewer) => undo(workbench, viewer),
  again: (workbench, _viewer, { file }) => again(workbench, file),
  waiting: (workbench, _viewer, { file, line }) => runWaiting(workbench, workbench.pathOf(file), line),
  holding: (workbench, _viewer, message) => switchHolding(workbench, message),
  held: (workbench, viewer, message) => actOnHeld(workbench, viewer, message),
  breakpoint: async (workbench, _viewer, message) => {
    await changeBreakpoint(workbench, message);
    if (message.do === 'set') runWithStops(workbench);
  },
  errors: async (workbench, _viewer, message) => {
    await stopAtErrors(workbench, message);
    if (message.which !== 'none') runWithStops(workbench);
  },
  going: (workbench, _viewer, message) => goOn(workbench, message),
  frame: (workbench, _viewer, message) => showFrame(workbench, message),
  serves: (workbench, viewer, message) => showServing(workbench, viewer, message),
  pick: (workbench, _viewer, message) => pickEntry(workbench, message),
  ask: (workbench, _viewer, message) => askEntry(workbench, message),
  slower: (workbench, viewer, message) => compareWithBefore(workbench, viewer, message),
  beside: (workbench, viewer, message) => layBeside(workbench, viewer, message),
  reset: (workbench, viewer, { file, name }) => reset(workbench, viewer, workbench.pathOf(file), name),
};

/** Does what a window asks; where that takes time, gives a promise. @throws AnvilError where it is refused */
export function receive(workbench: Workbench, viewer: Viewer, message: ToServer): unknown {
  return (HANDLERS[message.type] as Handler<ToServer['type']>)(workbench, viewer, message);
}

function welcome(workbench: Workbench, viewer: Viewer, { show: before }: Extract<ToServer, { type: 'hello' }>): void {
  const { subject, folder, program, changes } = workbench;
  const pads = workbench.fileNames();
  const known = before === undefined ? undefined : workbench.findPath(before);
  const start = workbench.options.start && known === undefined && !program;
  viewer.window.send({
    type: 'welcome',
    format: PROTOCOL,
    root: basename(folder.root),
    folder: digest(folder.root).slice(0, 32),
    pads,
    ...(program ? { idle: workbench.idleFiles() } : {}),
    pad: subject ? workbench.nameOf(subject.file) : null,
    ...addedHere(workbench),
    ...(start ? { start } : {}),
    ...(program ? { live: { ...program.describe(), entered: enteredBefore() } } : {}),
  });
  const stoppable = stoppableOf(workbench);
  if (stoppable) viewer.window.send(heldMessage(workbench, stoppable));
  if (workbench.page) tellPage(workbench, [viewer]);
  comparisonsOf(workbench).tellWindow(viewer);
  if (changes.changes.length > 0) viewer.window.send({ type: 'changes', changes: changes.changes });
  if (start) {
    // First what can be typed in: nobody waits for a list.
    newPad(workbench, viewer, {});
    viewer.window.send(startMessage(workbench));
  } else if (known ?? subject) show(workbench, viewer, known ?? subject!.file, false);
  else if (pads[0] !== undefined) show(workbench, viewer, workbench.pathOf(pads[0]), true);
  else untitled(workbench, viewer, folder.root, '.ts', '');
}

/** What the project adds, or would. */
function addedHere({ subject, folder }: Workbench): AddedHere {
  const additions = additionsFor(subject ? dirname(subject.file) : folder.root);
  const languages = additions.languages.map(({ plugin }) => lookOf(plugin));
  const adds = [additionsText(additions), additions.wrong].filter(Boolean).join('. ');
  return {
    ...(languages.length > 0 ? { languages } : {}),
    ...(adds === '' ? {} : { adds }),
    ...(additions.held ? { held: additions.held } : {}),
  };
}

/** A person has said that what the project adds may execute. */
function letAdditions(workbench: Workbench): void {
  const { subject, folder, habits, documents } = workbench;
  const config = configFor(subject ? dirname(subject.file) : folder.root);
  if (config === undefined) return;
  habits.choose(config, { careful: false });
  const document = subject?.pad && documents.get(subject.file);
  if (document) makePad(workbench, document);
  workbench.tellAllWindows({ type: 'additions', ...addedHere(workbench) });
  tellFiles(workbench);
  if (workbench.options.start) workbench.tellAllWindows(startMessage(workbench));
}
