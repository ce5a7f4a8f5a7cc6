/** The examples as pads, written anew in other styles: they print, test and report the same. */
import { cpSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { format } from 'prettier';
import { cli, folder, inTurn, root } from './harness.js';

const PADS = [
  'ledger/ledger.ts',
  'tolls/tolls.ts',
  'tolls/fleet.ts',
  'soundings/soundings.ts',
  'passages/passages.ts',
  'lock-house/rules.ts',
  'pilot/barge.ts',
];

const bare = (text: string): Promise<string> =>
  format(text, { parser: 'typescript', semi: false, singleQuote: true, printWidth: 160 });
const crlf = (text: string): string => text.replace(/\n/g, '\r\n');

const STYLES: Record<string, (text: string) => string | Promise<string>> = {
  'without semicolons': bare,
  'with CRLF': crlf,
  'without semicolons, with CRLF': async (text) => crlf(await bare(text)),
};

interface Printed {
  console: { level: string; text: string }[];
  tests?: { state: string; path: string[]; name: string }[];
  errors?: { name: string; message: string }[];
  samples: unknown[];
}

/** What a run of a pad came to, without what differs from run to run and from place to place. */
function outcome(file: string, dir: string): object {
  const { stdout, code } = cli(['run', '--format', 'json', file]);
  const { console: lines, tests = [], errors = [], samples } = JSON.parse(stdout) as Printed;
  const plain = (text: string): string =>
    text
      .replaceAll(dir, '')
      .replace(/\d+(\.\d+)? ?ms/g, 'ms')
      .replace(/line \d+|:\d+:\d+/g, '');
  return {
    code,
    console: lines.map(({ level, text }) => `${level} ${plain(text)}`),
    tests: tests.map(({ state, path, name }) => [state, ...path, name]),
    errors: errors.map(({ name, message }) => `${name}: ${plain(message)}`),
    samples: samples.length,
  };
}

test.each(inTurn(PADS, PADS.length))('%s in every style', async (pad) => {
  const place = (): string => {
    const dir = folder();
    cpSync(join(root, 'examples'), dir, { recursive: true });
    symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'), 'dir');
    return dir;
  };
  const dir = place();
  const plain = outcome(join(dir, pad), dir);
  for (const [style, write] of Object.entries(STYLES)) {
    const other = place();
    const file = join(other, pad);
    writeFileSync(file, await write(readFileSync(file, 'utf8')));
    expect({ style, ...outcome(file, other) }).toEqual({ style, ...plain });
  }
});
