/** All commands in one searchable list; each is also a key where it has one. */
import { useEffect, useMemo, useRef, useState } from 'react';
import type { State } from './state.js';
import type { Command } from './command.js';
import { heldCommands, padStopCommands } from './held.js';
import { evaluateHere } from './evaluate.js';
import { fileCommands, saveFile, tryHere } from './file-commands.js';
import { selectionCommands } from './selection-commands.js';
import { livePageCommands, pageCommands } from './page-view.js';
import { panelCommands } from './panel-commands.js';
import type { Store } from './store.js';
import { servesCommands } from './serves-commands.js';
import { walkCommands } from './walk.js';

/** What can be done to a program that runs on. */
function liveCommands(store: Store, state: State): Command[] {
  return [
    { name: 'Save', key: 'Ctrl+S', run: () => store.save() },
    { name: 'Evaluate the selection or the statement here', key: 'Ctrl+Enter', run: () => void evaluateHere(store) },
    {
      name: 'Look into the function of this line',
      key: 'Ctrl+I',
      run: () => store.inspect(store.editor?.currentLine() ?? 0),
    },
    { name: 'Take no values any more, only counts', key: 'Ctrl+Alt+O', run: () => store.shut() },
    {
      name: 'Begin this file anew where it runs (pages are loaded again), to see what runs once',
      key: 'Ctrl+Alt+A',
      run: () => store.tell({ type: 'again', file: state.file }),
    },
    { name: 'Take the last change back', key: 'Ctrl+Alt+Z', run: () => store.undo() },
    { name: 'Run the statements of this file that wait', key: 'Ctrl+Alt+R', run: () => store.runWaiting() },
    { name: 'Forget what was printed and what went wrong', key: 'Ctrl+Alt+D', run: () => store.execute() },
    { name: 'Try the function at the cursor in a pad of its own', key: 'Ctrl+Alt+N', run: () => tryHere(store) },
    ...servesCommands(store, state),
    ...livePageCommands(store, state),
    ...heldCommands(store, state),
    ...selectionCommands(store, state),
    ...panelCommands(store, state),
    { name: 'Go to the next error', key: 'F8', run: () => nextError(store) },
    { name: 'Show the console', key: 'Ctrl+Alt+1', run: () => store.showTab('console') },
    { name: 'Show the errors', key: 'Ctrl+Alt+2', run: () => store.showTab('errors') },
    { name: 'Show the changes', key: 'Ctrl+Alt+3', run: () => store.showTab('changes') },
    { name: 'Show the tape', key: 'Ctrl+Alt+4', run: () => store.showTab('tape') },
    { name: 'Enter code at the prompt', key: 'Ctrl+Alt+P', run: () => store.showPrompt() },
    { name: state.types ? 'Do not check types' : 'Check types', key: 'Ctrl+Alt+Y', run: () => store.toggleTypes() },
    { name: 'To the visit before of the value under the cursor', key: 'Alt+,', run: () => store.step(-1) },
    { name: 'To the visit after of the value under the cursor', key: 'Alt+.', run: () => store.step(1) },
    { name: 'Show everything as of now', key: 'Alt+E', run: () => store.moveTo(null) },
    { name: state.theme === 'light' ? 'Dark theme' : 'Light theme', key: 'Ctrl+Alt+T', run: () => store.toggleTheme() },
    ...state.pads
      .filter((pad) => pad !== state.file)
      .map((pad) => ({ name: `Open ${pad}`, run: () => store.open(pad, false) })),
  ];
}

export function commandsOf(store: Store, state: State): Command[] {
  if (state.live) return liveCommands(store, state);
  const list: Command[] = [
    { name: 'Save', key: 'Ctrl+S', run: () => saveFile(store) },
    { name: 'Execute again', key: 'Ctrl+Enter', run: () => store.execute() },
    { name: 'Execute at each edit', run: () => store.setWhen('edit') },
    { name: 'Execute when saved', run: () => store.setWhen('save') },
    { name: 'Execute on command', run: () => store.setWhen('command') },
    ...pageCommands(store, state),
    state.runs?.careful === false
      ? { name: 'Be careful: hold what changes something outside', run: () => store.setCareful(true) }
      : { name: 'Hold nothing: let everything through', run: () => store.setCareful(false) },
    { name: 'Drop kept values and execute again', key: 'Ctrl+Alt+D', run: () => store.drop() },
    { name: 'Run the test of this line alone', key: 'Ctrl+Alt+R', run: () => testHere(store) },
    { name: 'Stop what runs', key: 'Ctrl+Alt+S', run: () => store.stop() },
    {
      name: 'Look at the values of this line',
      key: 'Ctrl+I',
      run: () => store.inspect(store.editor?.currentLine() ?? 0),
    },
    ...padStopCommands(store, state),
    ...walkCommands(store, state),
    ...fileCommands(store, state),
    ...selectionCommands(store, state),
    ...panelCommands(store, state),
    { name: 'Go to the next error', key: 'F8', run: () => nextError(store) },
    { name: 'Show the console', key: 'Ctrl+Alt+1', run: () => store.showTab('console') },
    { name: 'Show the errors', key: 'Ctrl+Alt+2', run: () => store.showTab('errors') },
    { name: 'Show the tests', key: 'Ctrl+Alt+3', run: () => store.showTab('tests') },
    { name: 'Show the tape', key: 'Ctrl+Alt+4', run: () => store.showTab('tape') },
    { name: 'Show the requests', key: 'Ctrl+Alt+6', run: () => store.showTab('requests') },
    { name: 'Show what is pending', key: 'Ctrl+Alt+7', run: () => store.showTab('pending') },
    { name: 'Paste or choose the data that input reads', key: 'Ctrl+Alt+I', run: () => store.set({ pasting: true }) },
    { name: 'Open the first closed gate', key: 'Ctrl+Alt+G', run: () => openGate(store) },
    { name: 'Write the dials into the source', key: 'Ctrl+Alt+W', run: () => store.writeDials() },
    { name: 'Turn the dials back to the source', run: () => store.resetDials() },
    { name: state.types ? 'Do not check types' : 'Check types', key: 'Ctrl+Alt+Y', run: () => store.toggleTypes() },
    { name: 'Tell what imported packages cost when bundled', run: () => store.tellSizes() },
    ...(['html', 'md', 'svg', 'png', 'json'] as const).map((format) => ({
      name: `Export as ${FORMAT_NAMES[format]}`,
      run: () => store.exportAs(format),
    })),
    { name: 'To the visit before of the value under the cursor', key: 'Alt+,', run: () => store.step(-1) },
    { name: 'To the visit after of the value under the cursor', key: 'Alt+.', run: () => store.step(1) },
    { name: 'Show everything as of the end of the run', key: 'Alt+E', run: () => store.moveTo(null) },
    { name: 'Show what the pad shows on purpose', key: 'Ctrl+Alt+5', run: () => store.set({ side: 'shown' }) },
    { name: state.theme === 'light' ? 'Dark theme' : 'Light theme', key: 'Ctrl+Alt+T', run: () => store.toggleTheme() },
  ];
  for (const name of new Set((state.record?.errors ?? []).flatMap((error) => error.package ?? [])))
    list.unshift({ name: `Add the package ${name} for this pad`, run: () => store.addPackage(name) });
  if (state.file !== state.pad)
    list.push({ name: `Run ${state.file} as the pad`, run: () => store.open(state.file, true) });
  for (const pad of state.pads)
    if (pad !== state.file) list.push({ name: `Open ${pad}`, run: () => store.open(pad, false) });
  return list;
}

const FORMAT_NAMES = { html: 'one HTML page', md: 'Markdown', svg: 'SVG', png: 'PNG', json: 'JSON' };

function openGate(store: Store): void {
  const gate = (store.state.good ?? store.state.record)?.gates.find((one) => one.state === 'closed');
  if (gate) store.openGate(gate.id);
  else store.set({ note: 'No gate is closed.' });
}

/** The innermost test around the editor's cursor, as far as lines tell. */
function testHere(store: Store): void {
  const line = store.editor?.currentLine() ?? 0;
  const tests = (store.state.good ?? store.state.record)?.tests ?? [];
  const above = tests
    .filter((test) => test.at.file === store.state.file && test.at.line <= line)
    .sort((a, b) => b.at.line - a.at.line || b.path.length - a.path.length);
  if (above[0]) store.testAlone([...above[0].path, above[0].name]);
  else store.set({ problem: 'No test stands at or above this line.' });
}

function nextError(store: Store): void {
  const errors = store.state.record?.errors ?? [];
  if (errors.length === 0) return;
  const line = store.editor?.currentLine() ?? -1;
  const next = errors.find((error) => error.at.file === store.state.file && error.at.line > line) ?? errors[0]!;
  store.showTab('errors');
  store.goTo(next.at.file, next.at.line, next.at.character);
}

/** The command a key event stands for. */
export function commandFor(commands: Command[], event: KeyboardEvent): Command | undefined {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const ctrl = event.ctrlKey || event.metaKey ? 'Ctrl+' : '';
  // With what a person writes, the shift key makes another character.
  const shift = event.shiftKey && event.key.length > 1 ? 'Shift+' : '';
  const pressed = `${ctrl}${event.altKey ? 'Alt+' : ''}${shift}${key}`;
  return commands.find((command) => command.key === pressed);
}

export function CommandList({ store, state }: { store: Store; state: State }) {
  const [query, setQuery] = useState('');
  const [chosen, setChosen] = useState(0);
  const input = useRef<HTMLInputElement>(null);
  const all = commandsOf(store, state);
  const found = useMemo(() => {
    const words = query.toLowerCase().split(/\s+/).filter(Boolean);
    return all.filter((command) => words.every((word) => command.name.toLowerCase().includes(word)));
  }, [query, all]);
  useEffect(() => input.current?.focus(), []);
  const close = (): void => {
    store.set({ commands: false });
    store.editor?.focus();
  };
  const run = (command: Command | undefined): void => {
    close();
    command?.run();
  };
  return (
    <div className="veil" onMouseDown={close}>
      <div className="commands" role="dialog" aria-label="Commands" onMouseDown={(event) => event.stopPropagation()}>
        <input
          ref={input}
          value={query}
          placeholder="What do you want to do?"
          aria-label="Search commands"
          role="combobox"
          aria-expanded="true"
          aria-controls="command-list"
          aria-activedescendant={`command-${chosen}`}
          onChange={(event) => {
            setQuery(event.target.value);
            setChosen(0);
          }}
          onKeyDown={(event) => {
            if (event.key === 'Escape') close();
            else if (event.key === 'Enter') run(found[chosen]);
            else if (event.key === 'ArrowDown') setChosen(Math.min(found.length - 1, chosen + 1));
            else if (event.key === 'ArrowUp') setChosen(Math.max(0, chosen - 1));
            else return;
            event.preventDefault();
          }}
        />
        <ul id="command-list" role="listbox" aria-label="Commands">
          {found.map((command, index) => (
            <li
              key={command.name}
              id={`command-${index}`}
              role="option"
              aria-selected={index === chosen}
              className={index === chosen ? 'chosen' : ''}
              onMouseDown={() => run(command)}
            >
              <span>{command.name}</span>
              {command.key ? <kbd>{command.key}</kbd> : null}
            </li>
          ))}
          {found.length === 0 ? <li className="none">No command has these words.</li> : null}
        </ul>
      </div>
    </div>
  );
}
