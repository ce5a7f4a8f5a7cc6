/** The window: one line at the top, the code, an inspector, a dock. */
import { useEffect, useRef, useSyncExternalStore } from 'react';
import { CommandList, commandFor, commandsOf } from './commands.js';
import { DataDialog } from './data.js';
import { Dock } from './dock.js';
import { mountEditor } from './editor.js';
import { Inspector } from './inspector.js';
import { FileTabs } from './file-tabs.js';
import { HeldInCode } from './held.js';
import { NameDialog } from './name-dialog.js';
import { Notices } from './notices.js';
import { dockIsOpen, sideIsOpen } from './panel-commands.js';
import { LivePage, PageView } from './page-view.js';
import { SecondFile } from './second-file.js';
import { ServesPage } from './serves.js';
import { StartPage } from './start-page.js';
import type { State } from './state.js';
import { TopLine } from './top-line.js';
import type { Store } from './store.js';
import { TwoTexts } from './two-texts.js';
import { WalkBar } from './walk.js';

export function App({ store }: { store: Store }) {
  const state = useSyncExternalStore(store.subscribe, store.snapshot);
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k' && !event.altKey) {
        event.preventDefault();
        store.set({ commands: !store.state.commands });
        return;
      }
      const { commands, pasting, comparing, naming } = store.state;
      if (commands || pasting || comparing || naming) return;
      const command = commandFor(commandsOf(store, store.state), event);
      if (!command) return;
      event.preventDefault();
      event.stopPropagation();
      command.run();
    };
    window.addEventListener('keydown', onKey, true);
    return () => window.removeEventListener('keydown', onKey, true);
  }, [store]);
  useEffect(() => arrange(state), [state]);
  return (
    <>
      <TopLine store={store} state={state} />
      <main className={state.runs?.behind ? 'behind' : ''}>
        <FileTabs store={store} state={state} />
        <Notices store={store} state={state} />
        <div className="files">
          <EditorPane store={store} />
          {state.page && !state.starting && !state.alone ? <PageView store={store} state={state} /> : null}
          {state.livePage && !state.alone ? <LivePage store={store} state={state} /> : null}
          {state.beside === '' || state.starting ? null : <SecondFile store={store} state={state} />}
        </div>
        <WalkBar store={store} state={state} />
        <HeldInCode store={store} state={state} />
      </main>
      {state.starting ? <StartPage store={store} state={state} /> : null}
      {state.serves ? <ServesPage store={store} state={state} serves={state.serves} /> : null}
      {sideIsOpen(state) && !state.starting ? <Inspector store={store} state={state} /> : null}
      {state.starting ? null : <Dock store={store} state={state} />}
      {state.naming ? <NameDialog store={store} state={state} /> : null}
      {state.comparing && state.conflict ? <TwoTexts store={store} state={state} /> : null}
      {state.pasting ? <DataDialog store={store} state={state} /> : null}
      {state.commands ? <CommandList store={store} state={state} /> : null}
    </>
  );
}

/** Tells the style sheet which panels are there, and how large. */
function arrange(state: State): void {
  const { layout, alone, grown, starting, serves } = state;
  const root = document.documentElement;
  root.style.setProperty('--side', `${layout.side}px`);
  root.style.setProperty('--dock', `${layout.dock}px`);
  Object.assign(root.dataset, {
    side: sideIsOpen(state) && !starting ? 'open' : 'closed',
    dock: dockIsOpen(state) ? 'open' : 'closed',
    density: layout.density,
    grown: alone === 'dock' || alone === 'side' ? alone : grown,
    alone: alone ?? '',
    page: starting ? 'start' : serves ? 'serves' : 'code',
  });
}

function EditorPane({ store }: { store: Store }) {
  const parent = useRef<HTMLDivElement>(null);
  useEffect(() => mountEditor(parent.current!, store), [store]);
  return <div className="code" ref={parent} />;
}
