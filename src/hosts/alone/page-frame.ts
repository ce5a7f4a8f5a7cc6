/** A sandboxed frame in which one run of a page pad executes: it speaks with the page around by a port. */
import { joinFrame } from '../browser/frame/inner.js';
import { pong } from '../browser/frame/frames.js';
import type { ToFrame } from '../../wire/frames.js';
import { assertModule } from './assert-module.js';
import { carriedPackages } from './carried-packages.js';

/** What such a frame says. */
export type FromPageFrame =
  | { is: 'ready' }
  | { is: 'told'; message: object }
  | { is: 'came'; failed: boolean }
  | { is: 'pointed'; pixel: unknown };

/** What the frame is given before this script begins. */
export interface FrameGiven {
  port: MessagePort;
  packages: string;
}

/** Begins, in a frame. */
export function startPageFrame({ port, packages }: FrameGiven): void {
  // The page may change what the platform has.
  const post = port.postMessage.bind(port);
  const say = (message: FromPageFrame): void => post(message);
  const packageOf = carriedPackages(() => packages);
  joinFrame({
    ready(_inner, handle) {
      port.onmessage = ({ data }: MessageEvent<ToFrame>) => {
        if (data.type === 'run') say({ is: 'told', message: { type: 'took', id: data.id } });
        handle(data);
        if (data.type === 'ping') say({ is: 'told', message: pong() });
      };
      say({ is: 'ready' });
    },
    tell: (_inner, message) => say({ is: 'told', message }),
    came: (_inner, failed) => say({ is: 'came', failed }),
    pointed: (_inner, pixel) => say({ is: 'pointed', pixel }),
    hasKeys: () => document.hasFocus(),
    carried: (specifier, from) =>
      /^(?:node:)?assert(?:\/strict)?$/.test(specifier)
        ? assertModule(specifier.endsWith('strict'))
        : packageOf(specifier, from),
    find: (specifier) => Promise.reject(new Error(`the package ${specifier} was not published with this pad`)),
  });
}
