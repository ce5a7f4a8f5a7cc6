/** Messages between the session's process and a pad's process: length-prefixed structured clones over one pipe. */
import type { Duplex } from 'node:stream';
import { deserialize, serialize } from 'node:v8';

const LIMIT = 1 << 30;

export class Channel {
  private chunks: Buffer[] = [];
  private size = 0;
  private wanted = 0;

  /**
   * @param onMessage called for each message, in order
   * @param onBroken called once when what arrives is no message: a pad that writes to our pipe
   */
  constructor(
    private readonly stream: Duplex,
    private readonly onMessage: (message: unknown) => void,
    private readonly onBroken: () => void = () => undefined,
  ) {
    stream.on('data', (chunk: Buffer) => this.take(chunk));
    stream.on('error', () => undefined);
  }

  send(message: unknown, done?: () => void): void {
    const body = serialize(message);
    const head = Buffer.allocUnsafe(4);
    head.writeUInt32LE(body.length);
    if (this.stream.destroyed || !this.stream.writable) {
      done?.();
      return;
    }
    this.stream.cork();
    this.stream.write(head);
    this.stream.write(body, () => done?.());
    this.stream.uncork();
  }

  private take(chunk: Buffer): void {
    this.chunks.push(chunk);
    this.size += chunk.length;
    for (;;) {
      if (this.wanted === 0) {
        if (this.size < 4) return;
        const all = this.join();
        this.wanted = all.readUInt32LE(0);
        if (this.wanted === 0 || this.wanted > LIMIT) {
          this.broken();
          return;
        }
        this.rest(all, 4);
      }
      if (this.size < this.wanted) return;
      const all = this.join();
      const body = all.subarray(0, this.wanted);
      this.rest(all, this.wanted);
      this.wanted = 0;
      let message: unknown;
      try {
        message = deserialize(body);
      } catch {
        this.broken();
        return;
      }
      this.onMessage(message);
    }
  }

  private join(): Buffer {
    return this.chunks.length === 1 ? this.chunks[0]! : Buffer.concat(this.chunks);
  }

  private rest(all: Buffer, from: number): void {
    const left = all.subarray(from);
    this.chunks = left.length > 0 ? [left] : [];
    this.size = left.length;
  }

  private broken(): void {
    this.stream.destroy();
    this.onBroken();
  }
}
