/** Files that this window has shown, one key or click away. */
import type { State } from './state.js';
import type { Store } from './store.js';
import { Sign } from './panels.js';

export function FileTabs({ store, state }: { store: Store; state: State }) {
  const { opened } = state.tabs;
  if (opened.length < 2 || state.starting) return null;
  return (
    <nav className="file-tabs" aria-label="Open files">
      {opened.map((file) => (
        <span key={file} className={file === state.file ? 'tab here' : 'tab'}>
          <button aria-current={file === state.file ? 'page' : undefined} onClick={() => store.open(file, false)}>
            {file}
          </button>
          <button className="sign" aria-label={`Close ${file}`} onClick={() => store.closeTab(file)}>
            <Sign path="M4 4l8 8M12 4 4 12" />
          </button>
        </span>
      ))}
    </nav>
  );
}
