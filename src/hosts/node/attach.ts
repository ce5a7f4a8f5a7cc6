/**
 * A Node process that was started without us, reached through the open
 * debugging protocol of its inspector: bodies of functions are replaced by the
 * engine's own live edit, and expressions are evaluated.
 */
import { readFileSync } from 'node:fs';
import { sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { WebSocket } from 'ws';
import { liveModule } from '../../patch/live-module.js';
import { planChanges } from '../../patch/plan.js';
import { outlineOf, type Outline } from '../../syntax/outline.js';
import { parse } from '../../syntax/parse.js';
import { LineTable } from '../../syntax/positions.js';
import { AnvilError } from '../../syntax/problems.js';
import { checkSignal } from './signals.js';
import { given, Replies, type Reply } from '../../wire/replies.js';
import { NodeFiles } from './files.js';
import { nodeTranslator } from './translate.js';

/** What this way cannot do, for who uses it. */
export const LESSER_WAY = [
  'Only bodies of functions are replaced, by the engine itself. It refuses a file whose top level ' +
    'changed, in ES modules even a new helper; nothing is half done.',
  'Constants and state stay as they are, classes get no new members or fields, and ' +
    'TypeScript is reached only as the JavaScript that was loaded.',
  'Started with usher-anvil live, a program takes all of these.',
];

export interface AttachOptions {
  /** A process on this machine, whose inspector is opened by the signal USR1. */
  pid?: number;
  /** An inspector that is open. */
  host?: string;
  port?: number;
}

export interface AttachOutcome {
  kind: 'patched' | 'refused';
  file: string;
  text: string;
  details: string[];
}

interface Script {
  scriptId: string;
  outline: Outline;
}

const DEFAULT_PORT = 9229;

/** Why the engine refused, by the protocol's status. */
const REFUSALS: Record<string, string> = {
  BlockedByTopLevelEsModuleChange:
    'the top level of an ES module changed, and this way replaces only bodies of functions in it',
  BlockedByActiveGenerator: 'a generator or async function of it is in flight: save again when it has ended',
  BlockedByActiveFunction: 'a function that changed is running: save again when it has ended',
};

const ENDED = 'The process has ended.';

/** A connection to a process. */
export class Attachment {
  private readonly replies = new Replies<Reply>();
  private readonly scripts = new Map<string, Script>();
  private readonly files = new NodeFiles();
  /** Called once, when the process has ended or let go. */
  onEnd: (() => void) | undefined;
  /** Process id and version of the engine, as the process tells them. */
  pid = 0;
  version = '';

  private constructor(
    private readonly socket: WebSocket,
    /** The inspector was opened by us. */
    private readonly opened: boolean,
  ) {
    socket.on('message', (data) => this.take(String(data as Buffer)));
    socket.on('close', () => {
      this.replies.end({ error: ENDED });
      this.onEnd?.();
    });
    socket.on('error', () => undefined);
  }

  /**
   * Connects to a process.
   *
   * @throws AnvilError `E_TARGET` when there is none, it is not ours to signal, or its inspector does not answer
   */
  static async open(options: AttachOptions): Promise<Attachment> {
    const host = options.host ?? '127.0.0.1';
    const port = options.port ?? DEFAULT_PORT;
    let opened = false;
    if (options.pid !== undefined) {
      // One that is open already is used; the signal would only repeat it.
      const before = await listOf(host, port);
      if (before === undefined) {
        checkSignal(options.pid);
        try {
          process.kill(options.pid, 'SIGUSR1');
        } catch (error) {
          const why =
            (error as NodeJS.ErrnoException).code === 'EPERM'
              ? 'it belongs to another user'
              : 'there is no such process';
          throw new AnvilError('E_TARGET', `Process ${options.pid} cannot be attached to: ${why}.`);
        }
        opened = true;
      }
    }
    let list = await listOf(host, port);
    for (let i = 0; list === undefined && opened && i < 60; i++) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      list = await listOf(host, port);
    }
    const url = list?.[0]?.webSocketDebuggerUrl;
    if (url === undefined) {
      throw new AnvilError(
        'E_TARGET',
        options.pid === undefined
          ? `No inspector answers at ${host}:${port}. Start the process with --inspect=${port}, or give its process id.`
          : `Process ${options.pid} did not open its inspector at ${host}:${port}. It may not be a Node ` +
              'process, or it handles SIGUSR1 itself; start it with --inspect.',
      );
    }
    const socket = new WebSocket(url);
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve);
      socket.once('error', (error) =>
        reject(new AnvilError('E_TARGET', `The inspector at ${host}:${port} refuses: ${error.message}`)),
      );
    });
    const made = new Attachment(socket, opened);
    await made.post('Runtime.enable');
    await made.post('Debugger.enable');
    const told = await made.evaluate('[process.pid, process.version].join()');
    const [pid, version] = told.text.replace(/'/g, '').split(',');
    made.pid = Number(pid);
    made.version = version ?? '';
    if (options.pid !== undefined && made.pid !== options.pid) {
      made.close();
      throw new AnvilError(
        'E_TARGET',
        `At ${host}:${port} answers process ${made.pid}, not ${options.pid}: its inspector took the ` +
          `port. Start ${options.pid} with --inspect=0, and give host:port.`,
      );
    }
    return made;
  }

  private take(text: string): void {
    const message = JSON.parse(text) as {
      id?: number;
      method?: string;
      params?: { url: string; scriptId: string };
      result?: never;
      error?: { message: string };
    };
    if (message.id !== undefined) {
      const { id, error, result } = message;
      this.replies.answer(id, error ? { error: error.message } : { result });
      return;
    }
    if (message.method !== 'Debugger.scriptParsed' || !message.params) return;
    const { url, scriptId } = message.params;
    const file = url.startsWith('file:') ? fileURLToPath(url) : url.startsWith('/') ? url : undefined;
    if (file === undefined || file.includes(`${sep}node_modules${sep}`) || !/\.[cm]?js$/.test(file)) return;
    // The file may have changed since it was loaded: what counts is what the process runs.
    void this.post<{ scriptSource: string }>('Debugger.getScriptSource', { scriptId }).then(
      ({ scriptSource }) => {
        const outline = this.outline(file, scriptSource);
        if ('functions' in outline) this.scripts.set(file, { scriptId, outline });
      },
      () => undefined,
    );
  }

  private async post<T>(method: string, params: object = {}): Promise<T> {
    const reply = await this.replies.ask((id) => this.socket.send(JSON.stringify({ id, method, params })));
    return given<T>(reply, (message) => (message === ENDED ? new AnvilError('E_TARGET', ENDED) : new Error(message)));
  }

  private outline(file: string, text: string): Outline | { problems: string[] } {
    const parsed = parse(text, {
      file,
      packageType: this.files.packageType(file),
      settings: this.files.settings(file),
    });
    if (parsed.program !== null && parsed.problems.length === 0) return outlineOf(parsed);
    const lines = new LineTable(text);
    return {
      problems: parsed.problems.map((problem) => `line ${lines.lineAt(problem.start) + 1}  ${problem.message}`),
    };
  }

  /** Local files that the process has loaded. */
  get loaded(): string[] {
    return [...this.scripts.keys()];
  }

  /** Takes a save of a file that the process has loaded; undefined where nothing differs. */
  async changed(file: string): Promise<AttachOutcome | undefined> {
    const script = this.scripts.get(file);
    if (!script) return undefined;
    let text: string;
    try {
      text = readFileSync(file, 'utf8');
    } catch {
      return undefined;
    }
    if (text === script.outline.parsed.text || text === '') return undefined;
    const outline = this.outline(file, text);
    if ('problems' in outline)
      return { kind: 'refused', file, text: 'syntax error, nothing changed', details: outline.problems };
    const notes = planChanges(liveModule(script.outline), outline, nodeTranslator).notes;
    const answer = await this.post<{ status?: string; exceptionDetails?: { text: string } }>(
      'Debugger.setScriptSource',
      {
        scriptId: script.scriptId,
        scriptSource: text,
        allowTopFrameEditing: false,
      },
    );
    const status = answer.status ?? 'Ok';
    if (status !== 'Ok')
      return {
        kind: 'refused',
        file,
        text: 'nothing changed',
        details: [REFUSALS[status] ?? answer.exceptionDetails?.text ?? status],
      };
    script.outline = outline;
    const patched = notes.filter((note) => note.kind === 'patched').map((note) => note.name);
    const rest = notes.filter((note) => note.kind !== 'patched' && note.kind !== 'kept');
    return {
      kind: 'patched',
      file,
      text: patched.length > 0 ? `${patched.join(', ')} patched` : 'taken, no function changed',
      details: rest.map((note) => `${note.name}: not done this way`),
    };
  }

  /**
   * Evaluates an expression in the global scope of the process, with `await`; the variables of its modules are out of
   * reach.
   */
  async evaluate(expression: string): Promise<{ text: string; failed: boolean }> {
    const { result, exceptionDetails } = await this.post<{
      result: { type: string; subtype?: string; value?: unknown; description?: string; unserializableValue?: string };
      exceptionDetails?: { text: string; exception?: { description?: string } };
    }>('Runtime.evaluate', { expression, awaitPromise: true, replMode: true, includeCommandLineAPI: true });
    if (exceptionDetails)
      return { text: exceptionDetails.exception?.description ?? exceptionDetails.text, failed: true };
    if (result.unserializableValue !== undefined) return { text: result.unserializableValue, failed: false };
    if (result.type === 'string') return { text: `'${String(result.value)}'`, failed: false };
    return { text: result.description ?? String(result.value), failed: false };
  }

  /** Lets go. The process goes on; an inspector that was opened for this is closed again. */
  close(): void {
    if (this.opened && this.socket.readyState === WebSocket.OPEN)
      void this.post('Runtime.evaluate', {
        expression: "setTimeout(() => process.getBuiltinModule?.('inspector').close(), 50).unref()",
      }).catch(() => undefined);
    setTimeout(() => this.socket.close(), 20);
  }
}

async function listOf(host: string, port: number): Promise<{ webSocketDebuggerUrl: string }[] | undefined> {
  try {
    const response = await fetch(`http://${host}:${port}/json/list`, { signal: AbortSignal.timeout(1_000) });
    return (await response.json()) as { webSocketDebuggerUrl: string }[];
  } catch {
    return undefined;
  }
}
