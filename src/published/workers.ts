/** Workers for pads, in a sandboxed frame without an origin; see `frame.ts`. */
import type { PadWorker } from '../hosts/alone/index.js';

export type ToFrameOfWorkers = { id: number } & ({ do: 'make' } | { do: 'say'; message: unknown } | { do: 'end' });
export type FromFrameOfWorkers = { id: number; said: unknown } | { id: number; failed: string };

/** What a sandboxed frame is given when it has loaded, with a port. */
export interface FrameGiven {
  is: 'workers' | 'page';
  thread: string;
  packages: string;
}

/** A frame of no origin. @param given what it is to be; it speaks by the port that it is given */
export function sandboxed(script: string, given: FrameGiven): { element: HTMLIFrameElement; port: MessagePort } {
  const { port1, port2 } = new MessageChannel();
  const element = document.createElement('iframe');
  element.setAttribute('sandbox', 'allow-scripts');
  element.srcdoc = `<!doctype html><script>${script}</script>`;
  element.addEventListener('load', () => element.contentWindow!.postMessage(given, '*', [port2]), { once: true });
  return { element, port: port1 };
}

/** The frame, which is made anew where it does not answer any more. */
export class SandboxedWorkers {
  private frame: { element: HTMLIFrameElement; port: MessagePort } | undefined;
  private readonly made = new Map<number, PadWorker>();
  private last = 0;

  /**
   * @param script of the frame, which the policy of the page lets run
   * @param thread the script of each worker
   */
  constructor(
    private readonly script: string,
    private readonly thread: string,
  ) {}

  private begin(): { element: HTMLIFrameElement; port: MessagePort } {
    const { element, port } = sandboxed(this.script, { is: 'workers', thread: this.thread, packages: '' });
    element.title = 'where pads run';
    element.hidden = true;
    document.body.append(element);
    port.onmessage = ({ data }: MessageEvent<FromFrameOfWorkers>) => {
      const worker = this.made.get(data.id);
      if ('failed' in data) worker?.onfail?.(data.failed);
      else worker?.onsaid?.(data.said);
    };
    return { element, port };
  }

  /** What is in the frame is lost with it; the next worker gets another one. */
  drop(): void {
    this.made.clear();
    this.frame?.port.close();
    this.frame?.element.remove();
    this.frame = undefined;
  }

  make(): PadWorker {
    const id = ++this.last;
    const { port } = (this.frame ??= this.begin());
    const ask = (asked: ToFrameOfWorkers): void => port.postMessage(asked);
    ask({ id, do: 'make' });
    const worker: PadWorker = {
      say: (message) => ask({ id, do: 'say', message }),
      end: () => {
        this.made.delete(id);
        ask({ id, do: 'end' });
      },
    };
    this.made.set(id, worker);
    return worker;
  }
}
