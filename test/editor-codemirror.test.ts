/** CodeMirror's own client for language servers: another editor, with its own way to tell of edits. */
import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { forEachDiagnostic } from '@codemirror/lint';
import { JSDOM } from 'jsdom';
import type { InlayHint } from 'vscode-languageserver-protocol/node';
import { StreamMessageReader, StreamMessageWriter } from 'vscode-languageserver-protocol/node';
import { uriOf } from './editor-client.js';
import { cliPath, eventually, folder } from './harness.js';

const dom = new JSDOM('<!doctype html><body></body>', { pretendToBeVisual: true });
for (const name of [
  'window',
  'Window',
  'document',
  'MutationObserver',
  'Node',
  'HTMLElement',
  'getSelection',
  'navigator',
] as const)
  Object.defineProperty(globalThis, name, {
    value: name === 'window' ? dom.window : (dom.window as unknown as Record<string, unknown>)[name],
    configurable: true,
    writable: true,
  });
Object.assign(globalThis, {
  requestAnimationFrame: (work: () => void) => setTimeout(work, 4),
  cancelAnimationFrame: clearTimeout,
});

let child: ChildProcess;

afterAll(() => void child?.kill());

test('it opens, types, and is told values and errors of the text it has', async () => {
  const { EditorView } = await import('@codemirror/view');
  const { LSPClient, languageServerExtensions } = await import('@codemirror/lsp-client');
  const text = 'const lengths = [12, 14]\nconst sum = lengths.reduce((a, b) => a + b)\n';
  const dir = folder({ 'sum.mjs': text });
  child = spawn(process.execPath, [cliPath, 'lsp'], {
    cwd: dir,
    stdio: ['pipe', 'pipe', 'inherit'],
    env: { ...process.env, NODE_OPTIONS: '', XDG_STATE_HOME: folder() },
  });
  const reader = new StreamMessageReader(child.stdout!);
  const writer = new StreamMessageWriter(child.stdin!);
  const handlers = new Set<(message: string) => void>();
  reader.listen((message) => {
    for (const handler of handlers) handler(JSON.stringify(message));
  });
  const client = new LSPClient({ rootUri: uriOf(dir), extensions: languageServerExtensions() }).connect({
    send: (message) => void writer.write(JSON.parse(message) as never),
    subscribe: (handler) => void handlers.add(handler),
    unsubscribe: (handler) => void handlers.delete(handler),
  });
  await client.initializing;
  const uri = uriOf(join(dir, 'sum.mjs'));
  const view = new EditorView({ doc: text, extensions: [client.plugin(uri, 'javascript')], parent: document.body });
  await client.request('workspace/executeCommand', { command: 'usher-anvil.run', arguments: [{ uri }] });
  const behind = async (line: number): Promise<string> => {
    client.sync();
    const range = { start: { line: 0, character: 0 }, end: { line: 100, character: 0 } };
    const hints = await client.request<object, InlayHint[]>('textDocument/inlayHint', { textDocument: { uri }, range });
    return (hints.find(({ position }) => position.line === line)?.label as string | undefined) ?? '';
  };
  expect(await behind(1)).toBe('│ 26');
  let sum = 26;
  for (let length = 15; length < 35; length++) {
    const at = view.state.doc.toString().indexOf(']');
    view.dispatch({ changes: { from: at, insert: `, ${length}` } });
    sum += length;
    expect(await behind(1)).toBe(`│ ${sum}`);
  }
  // An edit in several places at once, of which one moves the other.
  view.dispatch({
    changes: [
      { from: 0, insert: '// of the fleet\n' },
      { from: view.state.doc.length, insert: 'sum.draft.feet\n' },
    ],
  });
  expect(await behind(2)).toBe(`│ ${sum}`);
  const problems = (): string[] => {
    const found: string[] = [];
    forEachDiagnostic(view.state, ({ message, severity }, from) =>
      found.push(`${view.state.doc.lineAt(from).number} ${severity} ${message}`),
    );
    return found;
  };
  await eventually(() => problems().length === 1);
  expect(problems()[0]).toMatch(/^4 error .*feet/);
  view.dispatch({ changes: { from: view.state.doc.toString().indexOf('.draft'), to: view.state.doc.length - 1 } });
  client.sync();
  await eventually(() => problems().length === 0);
  view.destroy();
  client.disconnect();
});
