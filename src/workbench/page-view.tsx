/** A page pad beside its code: in a frame on a host name of its own, at the sizes of usual devices. */
import { type RefObject, useEffect, useRef, useState } from 'react';
import type { Command } from './command.js';
import { Controls } from './controls.js';
import { Split } from './second-file.js';
import { Sign } from './panels.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import './page-view.css';

/** Width and height in pixels; the first takes what room there is. */
const SIZES: readonly { name: string; size?: readonly [number, number] }[] = [
  { name: 'as wide as here' },
  { name: 'phone', size: [390, 844] },
  { name: 'small phone', size: [320, 568] },
  { name: 'tablet', size: [820, 1180] },
  { name: 'laptop', size: [1280, 800] },
  { name: 'large screen', size: [1920, 1080] },
];

/** What the frame may do: its own scripts, and nothing with the window around it. */
const SANDBOX = 'allow-scripts allow-same-origin allow-forms allow-pointer-lock allow-downloads';

/** Whom the keys are for: the page once a person has pointed at it, the code once they are in that. */
interface Keys {
  areForPage: boolean;
}

/** A page that takes the focus by itself, at each run perhaps, gives it back. */
function keepKeys(store: Store, frame: RefObject<HTMLIFrameElement | null>, keys: Keys): () => void {
  const onInput = ({ target }: Event): void => {
    if ((target as Element | null)?.closest('.cm-editor')) keys.areForPage = false;
  };
  const giveBack = (): void => {
    if (keys.areForPage || document.activeElement !== frame.current) return;
    frame.current?.blur();
    store.editor?.focus();
  };
  // The frame has the focus only after this.
  const onBlur = (): void => void setTimeout(giveBack);
  for (const name of ['keydown', 'pointerdown']) window.addEventListener(name, onInput, true);
  window.addEventListener('blur', onBlur);
  return () => {
    for (const name of ['keydown', 'pointerdown']) window.removeEventListener(name, onInput, true);
    window.removeEventListener('blur', onBlur);
  };
}

export function pageCommands(store: Store, { page }: State): Command[] {
  const ask = (what: 'keep' | 'renew' | 'reload' | 'page' | 'node') => (): void =>
    store.tell({ type: 'page', do: what });
  if (!page) return [{ name: 'Execute in a page', run: ask('page') }];
  return [
    { name: 'Execute in Node', run: ask('node') },
    { name: 'Execute the page anew, from the start', run: ask('reload') },
    page.keeps
      ? { name: 'Execute the page anew at each edit', run: ask('renew') }
      : { name: 'Keep the state of the page at each edit', run: ask('keep') },
  ];
}

export function PageView({ store, state }: { store: Store; state: State }) {
  const { page, layout } = state;
  const [chosen, setChosen] = useState(0);
  const [turned, setTurned] = useState(false);
  const frame = useRef<HTMLIFrameElement>(null);
  const keys = useRef<Keys>({ areForPage: true });
  useEffect(() => keepKeys(store, frame, keys.current), [store]);
  const letIn = (): void => void (keys.current.areForPage = true);
  if (!page) return null;
  const address = `http://${page.host}.localhost:${location.port}/@usher-anvil/page`;
  const found = SIZES[chosen]!.size;
  const size = found && (turned ? [found[1], found[0]] : found);
  return (
    <>
      <Split store={store} state={state} label="Share of the code" />
      <section className="page-view" aria-label="Page" style={{ flexBasis: `${(1 - layout.split) * 100}%` }}>
        <div className="page-line">
          <select
            aria-label="Size of the page"
            value={chosen}
            onChange={(event) => setChosen(Number(event.target.value))}
          >
            {SIZES.map(({ name, size: one }, index) => (
              <option key={name} value={index}>
                {one ? `${name}, ${one[0]} × ${one[1]}` : name}
              </option>
            ))}
          </select>
          {size ? (
            <button className="quiet" aria-pressed={turned} onClick={() => setTurned(!turned)}>
              Turn
            </button>
          ) : null}
          <label title="On: an edit patches the page, and what it has stays. Off: each edit executes it anew.">
            <input
              type="checkbox"
              checked={page.keeps}
              onChange={(event) => store.tell({ type: 'page', do: event.target.checked ? 'keep' : 'renew' })}
            />{' '}
            keep its state
          </label>
          <span className="page-tools">
            {page.failed ? (
              <span className="fail" role="status">
                as it was before the error
              </span>
            ) : null}
            <button
              className="quiet"
              title="The keys go to the page"
              onClick={() => {
                letIn();
                frame.current?.focus();
              }}
            >
              Keys
            </button>
            <button
              className="quiet"
              title="Execute it anew, from the start"
              onClick={() => store.tell({ type: 'page', do: 'reload' })}
            >
              Anew
            </button>
            <a
              className="sign"
              href={address}
              target="_blank"
              rel="noreferrer"
              title="Open it in a window of its own: it runs there then"
              aria-label="Open the page in a window of its own"
            >
              <Sign path="M6 3H3v10h10v-3M9 3h4v4M13 3 7 9" />
            </a>
          </span>
        </div>
        <div className={size ? 'page-room sized' : 'page-room'} onPointerEnter={letIn} onPointerMove={letIn}>
          <iframe
            ref={frame}
            key={page.host}
            title={`${page.pad}, the page`}
            src={address}
            sandbox={SANDBOX}
            allow="fullscreen; autoplay"
            style={size ? { width: size[0], height: size[1], flex: 'none' } : {}}
          />
        </div>
        <Controls store={store} state={state} />
      </section>
    </>
  );
}
