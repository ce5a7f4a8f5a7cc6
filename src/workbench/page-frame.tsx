/** A page in a frame beside the code, at the sizes of usual devices. */
import { type ReactNode, type RefObject, useEffect, useRef, useState } from 'react';
import { Sign } from './panels.js';
import { Split } from './second-file.js';
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

interface PageFrameProps {
  store: Store;
  state: State;
  title: string;
  /** Absent where the page is in no frame of an address, but in {@link room}. */
  address?: string;
  room?(style: object): ReactNode;
  /** Controls of the page, between its size and its tools. */
  children?: ReactNode;
  /** What stands at the end of the line. @param giveKeys gives the keys to the page */
  tools(giveKeys: () => void): ReactNode;
  below?: ReactNode;
}

/** The frame is another one where the address is. */
export function PageFrame({ store, state, title, address, room, children, tools, below }: PageFrameProps) {
  const { layout } = state;
  const [chosen, setChosen] = useState(0);
  const [turned, setTurned] = useState(false);
  const frame = useRef<HTMLIFrameElement>(null);
  const keys = useRef<Keys>({ areForPage: true });
  useEffect(() => keepKeys(store, frame, keys.current), [store]);
  const letIn = (): void => void (keys.current.areForPage = true);
  const found = SIZES[chosen]!.size;
  const size = found && (turned ? [found[1], found[0]] : found);
  const style = size ? { width: size[0], height: size[1], flex: 'none' } : {};
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
          {children}
          <span className="page-tools">
            {tools(() => {
              letIn();
              frame.current?.focus();
            })}
            {address === undefined ? null : (
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
            )}
          </span>
        </div>
        <div className={size ? 'page-room sized' : 'page-room'} onPointerEnter={letIn} onPointerMove={letIn}>
          {room ? (
            room(style)
          ) : (
            <iframe
              ref={frame}
              key={address}
              title={title}
              src={address}
              sandbox={SANDBOX}
              allow="fullscreen; autoplay"
              style={style}
            />
          )}
        </div>
        {below}
      </section>
    </>
  );
}
