/** Entry of the thread that checks types: TypeScript's language service over the texts it is sent. */
import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parentPort } from 'node:worker_threads';
import ts from 'typescript';
import { PAD_FOLDER } from './pad-folder.js';
import { assist } from './types-assist.js';
import type { TypeProblem, TypeReply, TypeRequest } from './types.js';

const texts = new Map<string, { text: string; version: number }>();
let options: ts.CompilerOptions = {};
let configured = '';
let addedAt = 0;
let roots: string[] = [];

const host: ts.LanguageServiceHost = {
  getCompilationSettings: () => options,
  getScriptFileNames: () => roots,
  getScriptVersion: (file) => String(texts.get(file)?.version ?? 0),
  getScriptSnapshot: (file) => {
    const text = texts.get(file)?.text ?? ts.sys.readFile(file);
    return text === undefined ? undefined : ts.ScriptSnapshot.fromString(text);
  },
  getCurrentDirectory: () => dirname(roots[0] ?? '/'),
  getDefaultLibFileName: (settings) => ts.getDefaultLibFilePath(settings),
  fileExists: (file) => texts.has(file) || ts.sys.fileExists(file),
  readFile: (file) => texts.get(file)?.text ?? ts.sys.readFile(file),
  readDirectory: ts.sys.readDirectory,
  directoryExists: ts.sys.directoryExists,
  getDirectories: ts.sys.getDirectories,
  ...(ts.sys.realpath ? { realpath: ts.sys.realpath } : {}),
  resolveModuleNameLiterals: (literals, from, redirected, settings) =>
    literals.map(({ text }) => resolved(text, from, settings, redirected)),
};

/** By the rules of TypeScript; what they do not find may have been added for the pads of a folder. */
function resolved(
  name: string,
  from: string,
  settings: ts.CompilerOptions,
  redirected: ts.ResolvedProjectReference | undefined,
): ts.ResolvedModuleWithFailedLookupLocations {
  const found = ts.resolveModuleName(name, from, settings, host, undefined, redirected);
  if (found.resolvedModule || /^[./#]/.test(name)) return found;
  for (let at = dirname(from); ; at = dirname(at)) {
    if (ts.sys.directoryExists(join(at, PAD_FOLDER))) {
      const added = ts.resolveModuleName(name, join(at, PAD_FOLDER, 'pad.ts'), settings, host, undefined, redirected);
      if (added.resolvedModule) return added;
    }
    if (dirname(at) === at) return found;
  }
}
const service = ts.createLanguageService(host, ts.createDocumentRegistry());

parentPort!.on('message', (request: TypeRequest) => {
  const { ask, question } = request;
  take(request);
  parentPort!.postMessage(
    (question
      ? { ask, problems: [], answer: assist(service, question) }
      : { ask, problems: check(request) }) satisfies TypeReply,
  );
});

function take(request: TypeRequest): void {
  configure(request.entry);
  roots = request.files.map((one) => one.file);
  for (const { file, text } of request.files) {
    const known = texts.get(file);
    if (known?.text !== text) texts.set(file, { text, version: (known?.version ?? 0) + 1 });
  }
}

function check(request: TypeRequest): TypeProblem[] {
  const problems: TypeProblem[] = [];
  for (const { file } of request.files) {
    if (!/\.[mc]?tsx?$/.test(file)) continue;
    for (const diagnostic of service.getSemanticDiagnostics(file)) {
      if (
        diagnostic.file?.fileName !== file ||
        diagnostic.start === undefined ||
        diagnostic.category !== ts.DiagnosticCategory.Error
      )
        continue;
      problems.push({
        file,
        start: diagnostic.file.getLineAndCharacterOfPosition(diagnostic.start),
        end: diagnostic.file.getLineAndCharacterOfPosition(diagnostic.start + (diagnostic.length ?? 0)),
        code: diagnostic.code,
        message: ts.flattenDiagnosticMessageText(diagnostic.messageText, '\n'),
      });
    }
  }
  return problems;
}

/**
 * The project's own settings, where it has some; without them only what is surely wrong is said. What runs as a pad is a
 * module, also without an import.
 */
function configure(entry: string): void {
  // What was not there may be, since packages were added.
  const added = ts.sys.getModifiedTime?.(join(dirname(entry), PAD_FOLDER, 'package-lock.json'))?.getTime() ?? 0;
  if (added !== addedAt) service.cleanupSemanticCache();
  addedAt = added;
  const found = ts.findConfigFile(dirname(entry), ts.sys.fileExists) ?? '';
  const key = found === '' ? '-' : `${found} ${ts.sys.getModifiedTime?.(found)?.getTime() ?? 0}`;
  if (key === configured) return;
  configured = key;
  let own: ts.CompilerOptions = {};
  if (found !== '') {
    const { config } = ts.readConfigFile(found, ts.sys.readFile) as { config?: unknown };
    own = config ? ts.parseJsonConfigFileContent(config, ts.sys, dirname(found)).options : {};
    delete own.composite;
    delete own.incremental;
    delete own.tsBuildInfoFile;
    delete own.rootDir;
  }
  const types = typesOfPlatform();
  const face = fileURLToPath(new URL('./pad-face.d.ts', import.meta.url));
  options = {
    strict: false,
    moduleDetection: ts.ModuleDetectionKind.Force,
    jsx: ts.JsxEmit.ReactJSX,
    ...own,
    target: ts.ScriptTarget.ESNext,
    module: ts.ModuleKind.ESNext,
    moduleResolution: ts.ModuleResolutionKind.Bundler,
    allowImportingTsExtensions: true,
    resolveJsonModule: true,
    esModuleInterop: true,
    allowJs: true,
    checkJs: false,
    noEmit: true,
    skipLibCheck: true,
    // What a pad leaves unused while it is written is no error.
    noUnusedLocals: false,
    noUnusedParameters: false,
    lib: ['lib.esnext.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
    ...(types ? { typeRoots: [dirname(types)], types: ['node'] } : {}),
    paths: { ...own.paths, 'usher-anvil/pad': [face] },
  };
}

function typesOfPlatform(): string | undefined {
  try {
    return dirname(createRequire(import.meta.url).resolve('@types/node/package.json'));
  } catch {
    const beside = join(dirname(fileURLToPath(import.meta.url)), '../../../node_modules/@types/node');
    return existsSync(beside) && readFileSync(join(beside, 'package.json')).length > 0 ? beside : undefined;
  }
}
