/** Names of Node's that the workbench uses, before any of it is evaluated. */

type Encoding = 'utf8' | 'base64';

class Bytes extends Uint8Array {
  static override from(content: unknown): Bytes {
    return new Bytes(typeof content === 'string' ? new TextEncoder().encode(content) : (content as Uint8Array));
  }

  override toString(encoding: Encoding = 'utf8'): string {
    if (encoding !== 'base64') return new TextDecoder().decode(this);
    let text = '';
    for (let i = 0; i < this.length; i += 8192) text += String.fromCharCode(...this.subarray(i, i + 8192));
    return btoa(text);
  }
}

Object.assign(globalThis, { Buffer: Bytes, process: { env: {}, pid: 1, platform: 'page', getuid: () => 0 } });
// Timers of a page are numbers, and nothing is kept alive by them.
Object.defineProperty(Number.prototype, 'unref', {
  value(this: number): number {
    return this;
  },
  configurable: true,
});
