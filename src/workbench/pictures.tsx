/** Pictures in views: SVG, bytes of image files, pixels. */
import { useEffect, useRef, useState } from 'react';
import type { Store } from './store.js';

const PICTURE_BYTES = 8_000_000;

const SVG_LIMIT = 2_000_000;

export function SvgPicture({ text }: { text: string }) {
  const [broken, setBroken] = useState(false);
  if (text.length > SVG_LIMIT)
    return (
      <p className="dim">
        This SVG has {text.length.toLocaleString('en-US')} characters; up to {SVG_LIMIT.toLocaleString('en-US')} are
        drawn.
      </p>
    );
  if (broken) return <p className="dim">This SVG cannot be drawn. It may be cut off or not well-formed.</p>;
  // Without a namespace an image is not drawn; the text itself stays what it was.
  const source = /xmlns\s*=/.test(text.slice(0, 2_000))
    ? text
    : text.replace(/<svg/i, '<svg xmlns="http://www.w3.org/2000/svg"');
  return (
    <img
      className="picture"
      alt="SVG of the pad"
      src={`data:image/svg+xml;charset=utf-8,${encodeURIComponent(source)}`}
      onError={() => setBroken(true)}
    />
  );
}

export function BytesPicture({ store, node, kind }: { store: Store; node: number; kind: 'file' | 'pixels' }) {
  const [picture, setPicture] = useState<{ url: string } | { width: number; height: number; data: Uint8Array }>();
  const [note, setNote] = useState('');
  useEffect(() => {
    let current = true;
    void store.look({ do: 'bytes', node, limit: PICTURE_BYTES }).then((answer) => {
      if (!current) return;
      if (answer.is !== 'bytes') setNote('The bytes of this picture cannot be read.');
      else if (answer.size > PICTURE_BYTES)
        setNote(
          `This picture has ${answer.size.toLocaleString('en-US')} bytes; up ` +
            `to ${PICTURE_BYTES.toLocaleString('en-US')} are shown.`,
        );
      else if (kind === 'file') setPicture({ url: `data:${typeOf(answer.bytes)};base64,${answer.bytes}` });
      else setPicture({ width: answer.width!, height: answer.height!, data: bytesOf(answer.bytes) });
    });
    return () => {
      current = false;
    };
  }, [store, node, kind]);
  if (note !== '') return <p className="dim">{note}</p>;
  if (!picture) return null;
  if ('url' in picture) return <img className="picture" alt="Picture in the value" src={picture.url} />;
  return <Pixels width={picture.width} height={picture.height} rgba={picture.data} block={1} columns={picture.width} />;
}

function typeOf(base64: string): string {
  const head = atob(base64.slice(0, 8));
  return head.startsWith('\u0089PNG')
    ? 'image/png'
    : head.startsWith('GIF8')
      ? 'image/gif'
      : head.startsWith('RIFF')
        ? 'image/webp'
        : 'image/jpeg';
}

/** Bytes of a base64 text. */
export function bytesOf(base64: string): Uint8Array {
  const text = atob(base64);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

/** A picture of pixels: zoom with the wheel or the keys + and -, the value under the pointer in words. */
export function Pixels(props: {
  width: number;
  height: number;
  rgba: Uint8Array;
  block: number;
  columns: number;
  values?: readonly (number | null)[];
  /** It is painted again and again: it becomes no finer. */
  isMoving?: boolean;
  /** Walks through what made a pixel, where a function has. */
  walk?: (x: number, y: number) => void;
}) {
  const { width, height, rgba, block, columns, values, isMoving, walk } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [zoom, setZoom] = useState(1);
  const [under, setUnder] = useState('');
  const rows = Math.ceil(height / block);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const small = document.createElement('canvas');
    small.width = columns;
    small.height = rows;
    small.getContext('2d')!.putImageData(new ImageData(new Uint8ClampedArray(rgba), columns, rows), 0, 0);
    context.imageSmoothingEnabled = false;
    context.clearRect(0, 0, width, height);
    context.drawImage(small, 0, 0, columns * block, rows * block);
  }, [rgba, width, height, block, columns, rows]);
  const pixelAt = (event: React.PointerEvent | React.MouseEvent): { x: number; y: number } => {
    const box = canvas.current!.getBoundingClientRect();
    const x = Math.min(width - 1, Math.max(0, Math.floor(((event.clientX - box.left) / box.width) * width)));
    const y = Math.min(height - 1, Math.max(0, Math.floor(((event.clientY - box.top) / box.height) * height)));
    return { x, y };
  };
  const tell = (event: React.PointerEvent): void => {
    const { x, y } = pixelAt(event);
    const at = Math.floor(y / block) * columns + Math.floor(x / block);
    const colour = `rgb(${rgba[at * 4]} ${rgba[at * 4 + 1]} ${rgba[at * 4 + 2]})`;
    const value = values?.[at];
    setUnder(
      `x ${x}, y ${y}: ${value === undefined || value === null ? '' : `${value} `}${colour}${block > 1 ? `, of a block of ${block} pixels` : ''}`,
    );
  };
  const change = (by: number): void => setZoom((now) => Math.min(16, Math.max(0.25, now * by)));
  return (
    <figure className="pixels">
      <div className="frame">
        <canvas
          ref={canvas}
          width={width}
          height={height}
          tabIndex={0}
          role="img"
          aria-label={`Picture of ${width} by ${height} pixels`}
          style={{ width: zoom === 1 ? undefined : `${width * zoom}px`, maxWidth: zoom === 1 ? '100%' : 'none' }}
          onPointerMove={tell}
          onPointerLeave={() => setUnder('')}
          {...(walk
            ? {
                title: 'Click a pixel twice to walk through the call that made it',
                onDoubleClick: (event: React.MouseEvent) => {
                  const { x, y } = pixelAt(event);
                  walk(x, y);
                },
              }
            : {})}
          onWheel={(event) => {
            if (event.ctrlKey || event.altKey) change(event.deltaY < 0 ? 1.25 : 0.8);
          }}
          onKeyDown={(event) => {
            if (event.key === '+') change(2);
            else if (event.key === '-') change(0.5);
            else if (event.key === '0') setZoom(1);
          }}
        />
      </div>
      <figcaption>
        <span data-testid="pixel" role="status">
          {under ||
            `${width} × ${height}${block > 1 ? (isMoving ? `, in blocks of ${block}` : ', getting finer') : ''}`}
        </span>
        <span className="tools">
          <button onClick={() => change(2)} aria-label="Zoom in">
            +
          </button>
          <button onClick={() => change(0.5)} aria-label="Zoom out">
            −
          </button>
          <span className="dim">{Math.round(zoom * 100)} %</span>
        </span>
      </figcaption>
    </figure>
  );
}
