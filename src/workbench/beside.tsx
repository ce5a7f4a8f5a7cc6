/** Inspector and dock as a panel beside an editor that has the code: the workbench's own, over the editor's channel. */
import { useEffect, useState, useSyncExternalStore } from 'react';
import { createRoot } from 'react-dom/client';
import type { ToWindow } from '../server/protocol.js';
import { type BesideMessage, BesideStore, type FromBeside } from './beside-store.js';
import { Dock } from './dock.js';
import { Inspector } from './inspector.js';
import { Notices } from './notices.js';
import './workbench.css';
import './beside.css';

declare function acquireVsCodeApi(): { postMessage(message: FromBeside): void };

const NOTHING = 'The command “All Values of This Line” opens what stands beside a line, with all its visits.';

const channel = acquireVsCodeApi();
let receive: (message: ToWindow) => void = () => undefined;
const store = new BesideStore(
  (onMessage, onState) => {
    receive = onMessage;
    // Once the store is made.
    queueMicrotask(() => onState(true));
    return {
      send: (say) => {
        channel.postMessage({ say });
        return true;
      },
    };
  },
  (place) => channel.postMessage({ goTo: place }),
);

function Beside() {
  const state = useSyncExternalStore(store.subscribe, store.snapshot);
  const [file, setFile] = useState('');
  useEffect(() => {
    const onMessage = ({ data }: MessageEvent<BesideMessage>): void => {
      if ('told' in data) receive(data.told);
      else if ('theme' in data) document.documentElement.dataset.theme = data.theme;
      else if ('place' in data) store.place = data.place;
      else if ('inspect' in data) store.inspect(data.inspect.line, data.inspect.file);
      else setFile(data.file);
    };
    window.addEventListener('message', onMessage);
    channel.postMessage({ ready: true });
    return () => window.removeEventListener('message', onMessage);
  }, []);
  if (file === '')
    return <p className="dim alone">Nothing runs the file that is open. Run it, and its values are here.</p>;
  return (
    <>
      <div className="notices">
        <Notices store={store} state={state} />
      </div>
      <Dock store={store} state={{ ...state, alone: 'dock' }} />
      <Inspector store={store} state={{ ...state, alone: 'side' }} nothing={NOTHING} />
    </>
  );
}

createRoot(document.getElementById('root')!).render(<Beside />);
