/** The language server: what the open protocol asks, answered from the desk. Thin: each kind of answer is a file. */
import {
  CodeActionKind,
  type Connection,
  createConnection,
  DidChangeConfigurationNotification,
  ErrorCodes,
  type InitializeResult,
  ProposedFeatures,
  ResponseError,
  StreamMessageReader,
  StreamMessageWriter,
  TextDocuments,
  TextDocumentSyncKind,
} from 'vscode-languageserver/node';
import { TextDocument } from 'vscode-languageserver-textdocument';
import { URI } from 'vscode-uri';
import { z } from 'zod';
import { EMPTY, templateNamed, templatesFor } from '../server/start/templates.js';
import { AnvilError } from '../syntax/problems.js';
import { choose, firstAbilities, readAbilities } from './abilities.js';
import { actionData, actionsOf, resolveAction } from './actions.js';
import { Asking } from './asking.js';
import { COMMAND_NAMES } from './commands.js';
import { Desk } from './desk.js';
import { Doing, languageOf } from './doing.js';
import * as extras from './extras.js';
import * as messages from './extra-messages.js';
import { HeldInPrograms } from './held.js';
import { hintsOf, resolveHint } from './hints.js';
import { hoverOf } from './hovers.js';
import { lensesOf } from './lenses.js';
import { type OpenFile, realPath } from './open-files.js';
import { Panels } from './panels.js';
import { Publishing } from './publishing.js';
import type { Seat } from './seat.js';
import { symbolsOf } from './symbols.js';
import { LEGEND, tokensOf } from './unreached.js';

export interface EditorServerOptions {
  input: NodeJS.ReadableStream;
  output: NodeJS.WritableStream;
  version: string;
  /** Called when the client is gone, or says that it is done. */
  ended(code: number): void;
}

/** Milliseconds for which values of a text wait for its run. */
const RUN_MS = 1_500;

/** Serves one editor until it ends. */
export function serveEditor({ input, output, version, ended }: EditorServerOptions): void {
  const connection = createConnection(
    ProposedFeatures.all,
    new StreamMessageReader(input),
    new StreamMessageWriter(output),
  );
  const abilities = firstAbilities();
  const documents = new TextDocuments(TextDocument);
  const desk: Desk = new Desk({
    changed: (file) => {
      publishing.file(file);
      void asking.record(file);
    },
    told: (file, message) => {
      asking.told(message);
      // What can be done with the file may be something else now.
      if (message.type === 'runs' || message.type === 'changes') publishing.file(file);
    },
    programs: () => {
      tellPrograms(connection, desk, abilities.lane);
      held.programs(desk.programs.all);
    },
  });
  const held = new HeldInPrograms((params) => void connection.sendNotification(messages.HELD, params));
  const publishing = new Publishing(connection, desk, abilities);
  const asking = new Asking(connection, desk);
  const panels = new Panels(connection, desk);
  const doing = new Doing(connection, desk, abilities, (file) => publishing.file(file));
  let isDown = false;
  const end = async (code: number): Promise<void> => {
    publishing.end();
    panels.end();
    held.end();
    await desk.end();
    ended(code);
  };

  connection.onInitialize((params): InitializeResult => {
    readAbilities(abilities, params);
    const roots = params.workspaceFolders?.map(({ uri }) => uri) ?? (params.rootUri ? [params.rootUri] : []);
    desk.files.setRoots(roots);
    return { capabilities: capabilitiesFor(abilities.lane), serverInfo: { name: 'usher-anvil', version } };
  });
  connection.onInitialized(() => {
    const { folders, settings } = abilities.tells;
    if (settings) void connection.client.register(DidChangeConfigurationNotification.type).catch(() => undefined);
    if (folders)
      connection.workspace.onDidChangeWorkspaceFolders(async () => {
        const all = await connection.workspace.getWorkspaceFolders();
        desk.files.setRoots(all?.map(({ uri }) => uri) ?? []);
      });
    tellPrograms(connection, desk, abilities.lane);
  });
  connection.onShutdown(() => {
    isDown = true;
  });
  connection.onExit(() => void end(isDown ? 0 : 1));
  // An editor that is gone takes its server with it, at once.
  process.on('exit', () => desk.leave());
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void end(1));
  connection.onDidChangeConfiguration(({ settings }) => {
    choose(abilities, (settings as { usherAnvil?: unknown } | null)?.usherAnvil);
  });

  connection.workspace.onDidRenameFiles(({ files }) => {
    for (const { oldUri, newUri } of files)
      desk.renamed(realPath(URI.parse(oldUri).fsPath), realPath(URI.parse(newUri).fsPath));
  });
  listenToTexts(documents, desk, publishing, () => abilities.patch);
  documents.listen(connection);
  answer(connection, desk, { abilities, doing });
  answerExtras(connection, desk, panels, held);
  connection.listen();
}

function capabilitiesFor(lane: boolean): InitializeResult['capabilities'] {
  return {
    textDocumentSync: { openClose: true, change: TextDocumentSyncKind.Incremental, save: true },
    hoverProvider: true,
    codeLensProvider: { resolveProvider: false },
    codeActionProvider: {
      codeActionKinds: [CodeActionKind.QuickFix, CodeActionKind.RefactorRewrite],
      resolveProvider: true,
    },
    executeCommandProvider: { commands: COMMAND_NAMES },
    workspace: {
      workspaceFolders: { supported: true, changeNotifications: true },
      fileOperations: { didRename: { filters: [{ scheme: 'file', pattern: { glob: '**' } }] } },
    },
    // A client that draws all this itself is not told it twice.
    ...(lane
      ? {}
      : {
          inlayHintProvider: { resolveProvider: true },
          documentSymbolProvider: true,
          semanticTokensProvider: { legend: LEGEND, full: true },
        }),
  };
}

function listenToTexts(
  documents: TextDocuments<TextDocument>,
  desk: Desk,
  publishing: Publishing,
  patch: () => 'save' | 'edit',
): void {
  const opened = new Set<string>();
  documents.onDidOpen(({ document }) => {
    opened.add(document.uri);
    const file = desk.open(document);
    if (file) publishing.file(file);
  });
  documents.onDidChangeContent(({ document }) => {
    // A text that is opened is told as changed as well.
    if (opened.delete(document.uri)) return;
    desk.change(document.uri);
    const seat = desk.seat(document.uri);
    if (seat?.bench.kind === 'live' && patch() === 'edit') seat.apply();
    const file = desk.files.get(document.uri);
    if (file && seat?.bench.kind === 'live') publishing.file(file);
  });
  documents.onDidSave(({ document }) => desk.saved(document.uri));
  documents.onDidClose(({ document }) => {
    void desk.close(document.uri).then(() => publishing.closed(document.uri));
  });
}

/** An error of ours is an answer; one that nobody thought of is told in the log too. */
function refusal(error: unknown): ResponseError<void> {
  if (error instanceof AnvilError)
    return new ResponseError(ErrorCodes.InvalidRequest, `${error.message} (${error.code})`);
  console.error(error);
  const message = error instanceof Error ? error.message : String(error);
  return new ResponseError(ErrorCodes.InternalError, `Something went wrong in usher-anvil itself: ${message}`);
}

/** Runs what may refuse. */
async function guarded<T>(work: () => T | Promise<T>): Promise<T | ResponseError<void>> {
  try {
    return await work();
  } catch (error) {
    return refusal(error);
  }
}

function answer(
  connection: Connection,
  desk: Desk,
  { abilities, doing }: { abilities: ReturnType<typeof firstAbilities>; doing: Doing },
): void {
  /** What is asked of a text is answered once it has run; undefined for a file that is none of ours. */
  const known = async (uri: string): Promise<{ file: OpenFile; seat: Seat | undefined } | undefined> => {
    const file = desk.files.get(uri);
    if (!file) return undefined;
    await desk.seat(uri)?.settled(RUN_MS);
    return { file, seat: desk.seat(uri) };
  };
  /** The answer to a question that was taken back meanwhile is for a text that is gone. */
  const cancelled = <T>(isCancelled: boolean, given: T): T | ResponseError<void> =>
    isCancelled ? new ResponseError(-32800, 'A newer question has come.') : given;

  connection.languages.inlayHint.on(async ({ textDocument, range }, token) => {
    const found = await known(textDocument.uri);
    return cancelled(token.isCancellationRequested, found ? hintsOf(found.seat, found.file, range) : []);
  });
  connection.languages.inlayHint.resolve((hint) => {
    const data = z.object({ uri: z.string(), line: z.int() }).safeParse(hint.data);
    const file = data.success ? desk.files.get(data.data.uri) : undefined;
    return file ? resolveHint(hint, desk.seat(file.uri), file) : hint;
  });
  connection.languages.semanticTokens.on(async ({ textDocument }, token) => {
    const found = await known(textDocument.uri);
    return cancelled(token.isCancellationRequested, found ? tokensOf(found.seat, found.file) : { data: [] });
  });
  connection.onDocumentSymbol(async ({ textDocument }, token) => {
    const found = await known(textDocument.uri);
    return cancelled(token.isCancellationRequested, found ? symbolsOf(found.seat, found.file) : []);
  });
  connection.onHover(async ({ textDocument, position }, token) => {
    const found = await known(textDocument.uri);
    if (!found || token.isCancellationRequested) return null;
    return hoverOf(found.seat, found.file, position, abilities.hover);
  });
  connection.onCodeLens(({ textDocument: { uri } }) => {
    const file = desk.files.get(uri);
    if (!file || !abilities.lenses) return [];
    return lensesOf({ file, seat: desk.seat(uri), isOn: desk.isOn(file.path), walks: abilities.walks });
  });
  connection.onCodeAction(async ({ textDocument: { uri }, range, context }) => {
    const file = desk.files.get(uri);
    if (!file) return [];
    const seat = desk.seat(uri);
    const actions = actionsOf(seat, file, range, context.diagnostics);
    if (abilities.resolvesEdits) return actions;
    // What cannot be made later is made now, or not offered.
    const made = actions.map((one) =>
      one.data === undefined ? one : resolveAction(one, seat, file).catch(() => undefined),
    );
    return (await Promise.all(made)).filter((one) => one !== undefined);
  });
  connection.onCodeActionResolve((action) =>
    guarded(async () => {
      const file = desk.files.get(actionData.parse(action.data).uri);
      return file ? resolveAction(action, await desk.awake(file.uri), file) : action;
    }),
  );
  connection.onExecuteCommand(({ command, arguments: given }) =>
    guarded(async () => (await doing.do(command, given?.[0])) ?? null),
  );
}

/** What a client asks that draws more than the open protocol has words for. */
function answerExtras(connection: Connection, desk: Desk, panels: Panels, held: HeldInPrograms): void {
  const on = <T>(name: string, schema: z.ZodType<T>, work: (given: T) => unknown): void => {
    connection.onRequest(name, (given: unknown) => guarded(() => work(read(name, schema, given))));
  };
  const folder = (): string => desk.files.folders[0] ?? process.cwd();
  connection.onNotification(messages.SEES, (given: unknown) => {
    const { data } = extras.sees.safeParse(given);
    const seat = data && desk.seat(data.uri);
    if (seat) seat.send({ type: 'sees', file: seat.file, from: data.from, to: data.to });
  });
  connection.onNotification(messages.PANEL, (given: unknown) => {
    const { data } = extras.panel.safeParse(given);
    if (data) panels.say(data);
  });
  connection.onNotification(messages.LISTS_HELD, () => {
    held.programs(desk.programs.all);
    held.begin();
  });
  on(messages.DO_HELD, extras.doHeld, (given) => held.do(given));
  on(messages.SELECT, extras.select, async ({ uri, start, end, version }) => {
    if (desk.files.get(uri)?.document.version !== version) return null;
    return (await desk.seat(uri)?.select(start, end)) ?? null;
  });
  on(messages.NAME_OF, extras.nameOf, ({ uri }) => desk.seat(uri)?.file ?? null);
  on(messages.TEMPLATES, z.object({}), () => templatesFor(folder()).map(({ name, sentence }) => ({ name, sentence })));
  on(messages.NEW_PAD, extras.template, ({ name }): messages.NewPad => {
    const { text, extension } = templateNamed(name || EMPTY, folder());
    return { text, languageId: languageOf(extension) };
  });
}

/** @throws AnvilError `E_MESSAGE` for what is not what it should be */
function read<T>(name: string, schema: z.ZodType<T>, given: unknown): T {
  const found = schema.safeParse(given);
  if (found.success) return found.data;
  const why = found.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ');
  throw new AnvilError('E_MESSAGE', `${name} was asked with what it does not take: ${why}.`);
}

function tellPrograms(connection: Connection, desk: Desk, wanted: boolean): void {
  if (!wanted) return;
  const programs = desk.programs.all.map(({ name, pid, entry, since, files }) => ({ name, pid, entry, since, files }));
  void connection.sendNotification(messages.PROGRAMS, { programs } satisfies messages.ProgramParams);
}
