/** A pad for one function of the project: it imports it, and calls it as it was called last, or with made-up values. */
import { basename, extname, relative, sep } from 'node:path';
import { parse } from '../../syntax/parse.js';
import { outlineOfText } from '../../syntax/outlined.js';
import { historiesByLine } from '../../record/histories.js';
import type { PadRecord } from '../../record/record.js';
import { isLiteral, literalArguments, madeUpArguments } from '../../syntax/made-up.js';
import { boundNames, type Node } from '../../syntax/node.js';
import type { FunctionInfo, Outline } from '../../syntax/outline.js';
import { LineTable } from '../../syntax/positions.js';
import { AnvilError } from '../../syntax/problems.js';
import type { Value } from '../../wire/value.js';
import { untitled } from './file-actions.js';
import type { Workbench } from './state.js';
import { openDocument } from './texts.js';
import type { Viewer } from './viewer.js';

export interface At {
  file: string;
  line: number;
  character: number;
}

/** Shows a new pad that calls the function at a place. @throws AnvilError as {@link callingPad} */
export async function tryInPad(workbench: Workbench, viewer: Viewer, at: At): Promise<void> {
  const { text } = openDocument(workbench, at.file).shared;
  const folder = workbench.folder.root;
  const made = await callingPad({ text, folder, at }, (found) => recordedArguments(workbench, at.file, found));
  untitled(workbench, viewer, folder, made.extension, made.text);
}

/**
 * The text of a pad that calls the function at a place.
 *
 * @param from the file's text, and the folder that the pad is to lie in
 * @param recorded what the function was called with last, where that is known
 * @throws AnvilError `E_CANNOT_TRY` where no function is, or none that another file can import
 */
export async function callingPad(
  { text, folder, at }: { text: string; folder: string; at: At },
  recorded?: (found: FunctionInfo) => Promise<{ how: string; codes: string[] } | undefined>,
): Promise<{ extension: string; text: string }> {
  const { file, line, character } = at;
  const outline = outlineOfText(text, file);
  const offset = new LineTable(text).offsetAt({ line, character });
  const found = outline && functionAt(outline, offset);
  if (!outline || !found) throw new AnvilError('E_CANNOT_TRY', 'No function is at the cursor. Put it into one.');
  const exported = outline.exports.find((one) => one.from === undefined && one.local === found.name)?.exported;
  const isDefault = outline.exports.some((one) => one.exported === 'default' && isDefaultOf(outline, found));
  if (exported === undefined && !isDefault)
    throw new AnvilError(
      'E_CANNOT_TRY',
      `${found.name || 'This function'} is not exported: a pad can call what its module exports. Export it first.`,
    );
  const name = found.name === '' || found.name === 'default' ? 'tried' : found.name;
  const bound =
    isDefault || exported === 'default' ? name : `{ ${exported === name ? name : `${exported!} as ${name}`} }`;
  const given = (await recorded?.(found)) ?? {
    how: 'as it is called in its file',
    codes: literalArguments(outline, found.name),
  };
  const codes = given.codes ?? madeUpArguments(outline, found).map((one) => one.code);
  const how = given.codes ? given.how : codes.length > 0 ? 'with made-up values' : '';
  const way = relative(folder, file).split(sep).join('/');
  const call = `${found.async ? 'await ' : ''}${name}(${codes.join(', ')})`;
  return {
    extension: /^\.[cm]?tsx?$/.test(extname(file)) ? '.ts' : '.mjs',
    text:
      `import ${bound} from '${way.startsWith('.') ? way : `./${way}`}'\n\n` +
      `${how === '' ? '' : `// ${name} of ${basename(file)}, ${how}\n`}${call}\n`,
  };
}

/** The outermost function at a place that has a name at the top level: what is inside of it cannot be called alone. */
function functionAt({ functions, statements }: Outline, offset: number): FunctionInfo | undefined {
  const statement = statements.find((one) => one.start <= offset && offset <= one.end);
  if (!statement) return undefined;
  return functions.find(
    (one) =>
      one.parent < 0 &&
      one.owner < 0 &&
      one.start >= statement.start &&
      one.end <= statement.end &&
      (statement.names.length < 2 || (one.start <= offset && offset <= one.end)),
  );
}

function isDefaultOf(outline: Outline, { start, end }: FunctionInfo): boolean {
  return outline.statements.some(
    (one) => one.node.type === 'ExportDefaultDeclaration' && one.start <= start && end <= one.end,
  );
}

/** What the parameters of a function were when it was called last, as code; undefined where that is not known. */
export async function recordedArguments(
  workbench: Workbench,
  file: string,
  info: FunctionInfo,
): Promise<{ how: string; codes: string[] } | undefined> {
  const { subject } = workbench;
  const record = subject?.live?.recordFor(file) ?? subject?.goodRecord;
  if (!record || !subject?.files.includes(file)) return undefined;
  if (textOf(record, file) !== workbench.documents.get(file)?.shared.text) return undefined;
  const [codes] = await calledWith(workbench, record, file, info, 1);
  if (!codes) return undefined;
  return { how: 'as it was called last', codes };
}

function textOf({ program }: PadRecord, file: string): string | undefined {
  return program.files.find((one) => one.file === file)?.lines.text;
}

/**
 * What the parameters of a function were in its last calls, as code, the last call first. Calls of which something
 * cannot be written are left out; a pattern is no argument.
 */
export async function calledWith(
  workbench: Workbench,
  record: PadRecord,
  file: string,
  { node, start, end }: FunctionInfo,
  most: number,
): Promise<string[][]> {
  const parameters = (node.params as Node[]).map((one) => boundNames(one));
  if (parameters.some((names) => names.length !== 1)) return [];
  if (parameters.length === 0) return [[]];
  const lines = record.program.files.find((one) => one.file === file)?.lines;
  const histories = lines ? [...historiesByLine(record, file).values()].flat() : [];
  const own = parameters.map(([id]) =>
    histories.find(({ range }) => id!.start >= start && id!.start <= end && lines!.offsetAt(range.start) === id!.start),
  );
  const calls: string[][] = [];
  for (let back = 1; back <= Math.min(most, ...own.map((history) => history?.length ?? 0)); back++) {
    const codes: string[] = [];
    for (const history of own) {
      const { moment, value } = history!.at(history!.length - back);
      const code = await codeOf(workbench, moment, value);
      if (code !== undefined) codes.push(code);
    }
    if (codes.length === own.length) calls.push(codes);
  }
  return calls;
}

/** Code for a value: what JSON can say of it. */
async function codeOf(workbench: Workbench, moment: number, value: Value): Promise<string | undefined> {
  if (value.type !== 'object') return literalOf(value.text);
  const opened = await workbench.subject!.look({ do: 'open', moment, part: 0 });
  if (opened.is !== 'opened') return undefined;
  const json = await workbench.subject!.look({ do: 'json', node: opened.opened.node });
  return json.is === 'json' && !json.cut ? json.text : undefined;
}

function literalOf(text: string | undefined): string | undefined {
  const statement =
    text === undefined
      ? undefined
      : (parse(`(${text})`, { file: 'value.ts' }).program?.body as Node[] | undefined)?.[0];
  return statement?.type === 'ExpressionStatement' && isLiteral(statement.expression) ? text : undefined;
}
