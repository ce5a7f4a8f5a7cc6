/** The engine in a page, as scripts of a page call it: what runs in its workers is told as records. */
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { build } from 'esbuild';
import type { Browser, Page } from 'playwright-core';
import { root } from './harness.js';

/** What pads run in. */
export const thread = readFileSync(join(root, 'dist/published/thread.js'), 'utf8');

const SESSIONS = `import { createAloneSession } from ${JSON.stringify(join(root, 'dist/hosts/alone/index.js'))};
globalThis.session = (thread, files, pad, options, packages = '') => {
  const address = URL.createObjectURL(new Blob([thread]));
  const made = () => { const worker = new Worker(address); const one = { say: (m) => worker.postMessage(m), end: () => worker.terminate() }; worker.onmessage = ({ data }) => one.onsaid?.(data); worker.onerror = (e) => { e.preventDefault(); one.onfail?.(e.message) }; return one; };
  return createAloneSession({ file: pad, ...options }, {
    store: { textOf: (f) => files[f], stampOf: () => '1', names: () => Object.keys(files) },
    carried: { names: new Set(), broken: {} }, packages, tables: () => '', bytesOf: () => new Uint8Array(), worker: made, renew() {},
  });
};
`;

/**
 * A page with `session` of it, on a server of its own.
 *
 * @param script what its own script has besides
 * @param answers of the server, by path
 */
export async function alonePage(
  browser: Browser,
  script: string,
  answers: Record<string, () => string> = {},
): Promise<{ page: Page; close(): void }> {
  const { outputFiles } = await build({
    stdin: { contents: SESSIONS + script, resolveDir: root, loader: 'js' },
    ...{ bundle: true, write: false, format: 'iife', platform: 'browser', target: 'es2022' },
  });
  const server = createServer((request, response) => {
    const answer = answers[request.url ?? ''];
    if (answer) {
      response.end(answer());
      return;
    }
    response.setHeader('content-type', request.url === '/own.js' ? 'text/javascript' : 'text/html');
    response.end(request.url === '/own.js' ? outputFiles[0]!.text : '<!doctype html><script src="/own.js"></script>');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const page = await browser.newPage();
  await page.goto(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`);
  return { page, close: () => void server.close() };
}
