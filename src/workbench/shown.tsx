/** What the pad shows on purpose: values, plots, tables, drawings, painted pictures; redrawn at each edit. */
import { useEffect, useMemo, useRef } from 'react';
import type { DrawCall } from '../wire/reports.js';
import type { ShownMessage } from '../server/protocol.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import { Sign } from './panels.js';
import { bytesOf, Pixels } from './pictures.js';
import { Views } from './view-box.js';
import { beginWalk } from './walk.js';

export function ShownList({ store, state }: { store: Store; state: State }) {
  if (state.shown.length === 0) return null;
  return state.shown.map((one) => (
    <section key={one.id} className="card shown-card" aria-label={one.title || one.kind}>
      <h3>
        <span>{one.title || one.kind}</span>
        <button
          className="sign"
          aria-label={`${one.title || one.kind} on the whole screen`}
          title="on the whole screen"
          onClick={(event) => void event.currentTarget.closest('section')!.requestFullscreen()}
        >
          <Sign path="M2 6V2h4M10 2h4v4M14 10v4h-4M6 14H2v-4" />
        </button>
        {one.at ? (
          <button className="quiet" onClick={() => store.goTo(one.at!.file, one.at!.line, one.at!.character)}>
            line {one.at.line + 1}
          </button>
        ) : null}
      </h3>
      <Body store={store} one={one} />
    </section>
  ));
}

function Body({ store, one }: { store: Store; one: ShownMessage }) {
  if (one.calls && one.width && one.height)
    return (
      <>
        <Canvas width={one.width} height={one.height} calls={one.calls} />
        {one.partial ? (
          <p className="dim">Images, patterns and pixels are on the page, and not in this record.</p>
        ) : null}
      </>
    );
  if (one.kind === 'paint' && one.width && one.height)
    return one.pixels ? <Painted store={store} one={one} /> : <p className="dim">Not painted yet.</p>;
  const wanted =
    one.kind === 'plot' || one.kind === 'table'
      ? [...(one.views ?? [])].sort((a, b) => Number(b.view === one.kind) - Number(a.view === one.kind))
      : (one.views ?? []);
  if ((one.kind === 'plot' || one.kind === 'table') && wanted[0]?.view !== one.kind)
    return (
      <>
        <pre>{one.text}</pre>
        <p className="dim">This value has nothing for a {one.kind}.</p>
      </>
    );
  return wanted.length > 0 ? <Views views={wanted} /> : <pre>{one.text}</pre>;
}

function Painted({ store, one }: { store: Store; one: ShownMessage }) {
  const { pixels } = one;
  const rgba = useMemo(() => bytesOf(pixels!.rgba), [pixels]);
  const turn = (to: 'stop' | 'go' | 'step'): void =>
    store.tell({ type: 'act', action: { do: 'clock', id: one.id, to } });
  return (
    <>
      {one.text ? <p className="dim">with {one.text}</p> : null}
      {one.threads === undefined ? null : (
        <p
          className="dim"
          title="What the lines tell is of the coarse picture, which is painted first, and of pixels that are walked."
        >
          painted on {one.threads} threads, as plain code
        </p>
      )}
      {one.clock ? <Clock clock={one.clock} turn={turn} /> : null}
      <Pixels
        width={one.width!}
        height={one.height!}
        rgba={rgba}
        block={pixels!.block}
        columns={pixels!.columns}
        isMoving={one.clock?.running === true}
        {...(pixels!.values ? { values: pixels!.values } : {})}
        walk={(x, y) => beginWalk(store, { pixel: { x, y } })}
      />
    </>
  );
}

/** The clock of an animated picture: it is stopped, goes on, or makes one step. */
function Clock({ clock, turn }: { clock: NonNullable<ShownMessage['clock']>; turn(to: 'stop' | 'go' | 'step'): void }) {
  return (
    <p className="dim" role="group" aria-label="Clock of the picture">
      <button className="quiet" onClick={() => turn(clock.running ? 'stop' : 'go')}>
        {clock.running ? 'Stop' : 'Go on'}
      </button>{' '}
      <button className="quiet" disabled={clock.running} onClick={() => turn('step')}>
        Step
      </button>{' '}
      <span data-testid="clock">
        {clock.time.toFixed(2)} s, picture {clock.frame}
      </span>
    </p>
  );
}

/** Methods and properties that a recorded drawing may name: nothing else of a context is reached. */
const ALLOWED = new Set(
  (
    'save restore reset beginPath closePath moveTo lineTo bezierCurveTo quadraticCurveTo arc arcTo ellipse ' +
    'rect roundRect fill stroke clip fillRect strokeRect clearRect fillText strokeText ' +
    'translate rotate scale transform setTransform resetTransform setLineDash'
  ).split(' '),
);
const SETTABLE = new Set(
  (
    'fillStyle strokeStyle lineWidth lineCap lineJoin miterLimit lineDashOffset font textAlign textBaseline ' +
    'direction globalAlpha globalCompositeOperation shadowBlur shadowColor ' +
    'shadowOffsetX shadowOffsetY imageSmoothingEnabled'
  ).split(' '),
);

function Canvas({ width, height, calls }: { width: number; height: number; calls: readonly DrawCall[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    context.reset();
    replay(context, calls);
  }, [calls, width, height]);
  return (
    <canvas
      ref={canvas}
      className="picture"
      width={width}
      height={height}
      role="img"
      aria-label={`Drawing of ${width} by ${height} pixels`}
    />
  );
}

function replay(context: CanvasRenderingContext2D, calls: readonly DrawCall[]): void {
  const gradients: CanvasGradient[] = [];
  const value = (one: DrawCall[number]): unknown =>
    typeof one === 'object' && one !== null && !Array.isArray(one) ? gradients[one.gradient] : (one ?? undefined);
  const target = context as unknown as Record<string, unknown>;
  for (const [name, ...args] of calls) {
    try {
      if (name === '=') {
        if (SETTABLE.has(String(args[0]))) target[String(args[0])] = value(args[1]!);
      } else if (name === 'stop') gradients[args[0] as number]?.addColorStop(args[1] as number, args[2] as string);
      else if (name === 'linear')
        gradients[args[0] as number] = context.createLinearGradient(
          ...(args.slice(1) as [number, number, number, number]),
        );
      else if (name === 'radial')
        gradients[args[0] as number] = context.createRadialGradient(
          ...(args.slice(1) as [number, number, number, number, number, number]),
        );
      else if (name === 'conic')
        gradients[args[0] as number] = context.createConicGradient(...(args.slice(1) as [number, number, number]));
      else if (ALLOWED.has(String(name)))
        (target[String(name)] as (...given: unknown[]) => void).apply(context, args.map(value));
    } catch {
      // A call with impossible arguments draws nothing, as it would in a page after an error was caught.
    }
  }
}
