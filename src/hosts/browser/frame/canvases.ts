/** Canvases of a page: those on which `draw` and `paint` of a pad paint, and what is under the pointer on any of them. */
import type { FindCanvas, PageCanvas } from '../../../runtime/shown.js';
import type { PointedPixel } from '../../../wire/frames.js';

type Picture = Parameters<PageCanvas['put']>[0];

/** Milliseconds between two reports of the pointer. */
const POINTED_MS = 40;

const pictures = new WeakMap<HTMLCanvasElement, Picture>();

/** @returns finds a canvas by its title among those of the document, or makes one at its end */
export function canvases(): FindCanvas {
  const made = new Map<string, HTMLCanvasElement>();
  return (width, height, title, place) => {
    const named = title === undefined ? null : document.getElementById(title);
    let canvas = named instanceof HTMLCanvasElement ? named : made.get(place);
    if (!canvas?.isConnected) {
      canvas = document.createElement('canvas');
      canvas.setAttribute('aria-label', title ?? 'drawing');
      canvas.style.display = 'block';
      document.body.append(canvas);
      made.set(place, canvas);
    }
    const context = canvas.getContext('2d');
    if (!context) throw new TypeError(`The canvas "${title ?? ''}" has another context than 2d.`);
    pictures.delete(canvas);
    // A size that is set clears it, and begins its state anew.
    if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
    else context.reset();
    return {
      context: context as unknown as Record<string, unknown>,
      put(picture) {
        pictures.set(context.canvas, picture);
        put(context, picture);
      },
    };
  };
}

function put(context: CanvasRenderingContext2D, { rgba, columns, rows }: Picture): void {
  const { width, height } = context.canvas;
  const image = new ImageData(new Uint8ClampedArray(rgba), columns, rows);
  if (columns === width && rows === height) {
    context.putImageData(image, 0, 0);
    return;
  }
  const small = new OffscreenCanvas(columns, rows);
  small.getContext('2d')!.putImageData(image, 0, 0);
  context.imageSmoothingEnabled = false;
  context.clearRect(0, 0, width, height);
  context.drawImage(small, 0, 0, width, height);
}

/** Tells the pixel under the pointer on canvases of the page, and `undefined` once it has left them. */
export function watchPointer(tell: (pixel: PointedPixel | undefined) => void): void {
  // A canvas whose pixels are read is painted without the graphics card from then on: only this copy of one pixel is.
  const glass = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true })!;
  const { setTimeout: timeout } = globalThis;
  let last: PointerEvent | undefined;
  let told = false;
  let waits = false;
  const look = (): void => {
    waits = false;
    const canvas = last?.target;
    const pixel = canvas instanceof HTMLCanvasElement ? pixelOf(canvas, last!, glass) : undefined;
    if (pixel || told) tell(pixel);
    told = pixel !== undefined;
  };
  const onMove = (event: PointerEvent | undefined): void => {
    last = event;
    if (waits || (!told && !(event?.target instanceof HTMLCanvasElement))) return;
    waits = true;
    timeout(look, POINTED_MS);
  };
  addEventListener('pointermove', onMove, { capture: true, passive: true });
  addEventListener('pointerout', ({ relatedTarget }) => relatedTarget === null && onMove(undefined), {
    capture: true,
    passive: true,
  });
}

function pixelOf(
  canvas: HTMLCanvasElement,
  { clientX, clientY }: PointerEvent,
  glass: OffscreenCanvasRenderingContext2D,
): PointedPixel | undefined {
  const { left, top, width, height } = canvas.getBoundingClientRect();
  const x = Math.floor(((clientX - left - canvas.clientLeft) / width) * canvas.width);
  const y = Math.floor(((clientY - top - canvas.clientTop) / height) * canvas.height);
  if (!(x >= 0 && y >= 0 && x < canvas.width && y < canvas.height)) return undefined;
  const picture = pictures.get(canvas);
  const value =
    picture?.values?.[
      Math.floor((y / canvas.height) * picture.rows) * picture.columns +
        Math.floor((x / canvas.width) * picture.columns)
    ];
  const shown = value === undefined || Number.isNaN(value) ? {} : { value };
  try {
    glass.clearRect(0, 0, 1, 1);
    glass.drawImage(canvas, x, y, 1, 1, 0, 0, 1, 1);
    return { x, y, colour: [...glass.getImageData(0, 0, 1, 1).data] as PointedPixel['colour'], ...shown };
  } catch {
    // Pictures of other sites are on it: the browser gives no pixel away.
    return { x, y, ...shown };
  }
}
