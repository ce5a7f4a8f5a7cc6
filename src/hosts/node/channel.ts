/**
 * Messages between the session's process and a pad's process: structured
 * clones over one pipe, each behind a fixed word and its length. A pad can
 * write to the pipe as well; the word tells at once where it did.
 */
import type { Duplex } from 'node:stream';
import { deserialize, serialize } from 'node:v8';

/** Begins every message. */
const WORD = 0x4e4f5841;
const HEAD = 8;
const LIMIT = 1 << 30;
/** Milliseconds without a byte after which a message that has begun is taken for none. */
const UNENDED_MS = 2_000;
/** The same again, for what arrived while this thread was busy. */
const BUSY_MS = 100;

export class Channel {
  private chunks: Buffer[] = [];
  private size = 0;
  private wanted = 0;
  private unended: NodeJS.Timeout | undefined;

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
    const head = Buffer.allocUnsafe(HEAD);
    head.writeUInt32LE(WORD);
    head.writeUInt32LE(body.length, 4);
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
    clearTimeout(this.unended);
    this.read();
    // What has begun has to go on.
    if (this.size > 0 || this.wanted > 0) this.expect(UNENDED_MS, () => this.expect(BUSY_MS, () => this.broken()));
  }

  private expect(ms: number, otherwise: () => void): void {
    this.unended = setTimeout(otherwise, ms);
    this.unended.unref();
  }

  private read(): void {
    for (;;) {
      if (this.wanted === 0) {
        if (this.size < HEAD) return;
        const all = this.join();
        this.wanted = all.readUInt32LE(4);
        if (all.readUInt32LE(0) !== WORD || this.wanted === 0 || this.wanted > LIMIT) {
          this.broken();
          return;
        }
        this.rest(all, HEAD);
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
    clearTimeout(this.unended);
    this.stream.destroy();
    this.onBroken();
  }
}
