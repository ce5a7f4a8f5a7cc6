/** Pads that use the channels by which they are run: each costs its own record, and nothing else. */
import { join } from 'node:path';
import { createSession, type PadRecord, type Session } from 'usher-anvil';
import { historiesAt, lineStates, toJson } from 'usher-anvil/record';
import { folder } from './harness.js';

const post = (message: string): string => `
import { parentPort } from 'node:worker_threads';
parentPort?.postMessage(${message});
await new Promise((resolve) => setTimeout(resolve, 60));
`;
/** A frame as the relay writes it: the length, and a structured clone. */
const frame = (message: string): string => `
import { writeSync } from 'node:fs';
import { serialize } from 'node:v8';
const body = serialize(${message});
const head = Buffer.alloc(8);
head.writeUInt32LE(0x4e4f5841);
head.writeUInt32LE(body.length, 4);
writeSync(3, Buffer.concat([head, body]));
await new Promise((resolve) => setTimeout(resolve, 60));
`;
const bytes = (text: string): string => `
import { writeSync } from 'node:fs';
writeSync(3, ${text});
await new Promise((resolve) => setTimeout(resolve, 60));
`;

const PADS: Record<string, string> = {
  'nothing to its parent': post('null'),
  'a word to its parent': post("'sluice'"),
  'a message without content to its parent': post("{ type: 'batch' }"),
  'a batch of nonsense to its parent': post("{ type: 'batch', batch: { moment: {}, console: 'x', tests: [1] } }"),
  'samples of nonsense to its parent': post(
    "{ type: 'batch', batch: { moment: 1, samples: { site: new Int32Array(2), rest: 4 } } }",
  ),
  'memory that is none to its parent': post("{ type: 'cells', unit: 0, cells: 'x' }"),
  'an end that is none to its parent': post("{ type: 'leaving', reason: 'bored', frames: 1, told: 2 }"),
  'an answer that nobody asked for to its parent': post("{ type: 'changed', ask: 7, answer: 1 }"),
  'sites that no file has to its parent': post(
    `{ type: 'batch', batch: { moment: 1, samples: { site: Int32Array.of(-5, 99999), visit: Float64Array.of(1, 1), moment: Float64Array.of(1, 1), tag: Uint8Array.of(0, 0), number: Float64Array.of(1, 1), rest: [] },
      console: [{ moment: 1, time: 1, level: 'log', method: 'log', args: [], text: 'x', indent: 0, site: 12345 }],
      tests: [{ moment: 1, id: 1, parent: 77, name: 'x', path: [], state: 'failed', passed: false, durationMs: 1, site: 12345, suite: false }],
      counts: [{ unit: 55, cells: new Float64Array(1) }, { unit: 0, cells: new Float64Array(1) }], timings: [{ site: 4444, total: 1, visits: 1 }], kept: [{ site: 4444, value: 1 }] } }`,
  ),
  'bytes to the pipe': bytes("Buffer.from('the lock is open')"),
  'a few bytes to the pipe': bytes('Buffer.from([1, 2, 3])'),
  'the head of a message that never ends to the pipe': `${bytes('Buffer.from([0x41, 0x58, 0x4f, 0x4e, 0, 0, 0, 16])').replace('60', '4000')}`,
  'nothing, framed, to the pipe': frame('null'),
  'a message of another run to the pipe': frame("{ type: 'batch', id: 999999, batch: null }"),
  'messages of every number to the pipe': `${frame("{ type: 'stopped', id: 1, stop: null }")}${frame(
    "{ type: 'stopped', id: 2, stop: null }",
  )
    .replace(/^import.*$/gm, '')
    .replaceAll('body', 'body2')
    .replaceAll('head', 'head2')}`,
};

describe.each(['worker', 'process'] as const)('in a %s', (target) => {
  const dir = folder({ 'lock.ts': '' });
  const file = join(dir, 'lock.ts');
  let session: Session;
  const run = (text: string): Promise<PadRecord> => {
    session.edit(file, text);
    return session.settled();
  };
  beforeAll(() => {
    session = createSession({ file, cwd: dir, target });
  });
  afterAll(() => session.close());

  test.each(Object.entries(PADS))('a pad that sends %s costs its own record', async (_name, text) => {
    const junk = await run(text);
    if (junk.stop) expect(junk.stop.message).toMatch(/E_GARBLED|its process/);
    // Whatever is asked of such a record is answered.
    expect(lineStates(junk, file)).toBeDefined();
    for (let line = 0; line < 12; line++) expect(historiesAt(junk, { line })).toBeInstanceOf(Array);
    expect(JSON.stringify(toJson(junk)).length).toBeGreaterThan(0);
    const good = await run('const sill = 2;\nsill * 3;\nconsole.log("filled");\n');
    expect(good.outcome).toBe('ok');
    expect(good.console.map((entry) => entry.text)).toEqual(['filled']);
  });
});
