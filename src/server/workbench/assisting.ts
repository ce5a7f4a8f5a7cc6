/** Help while one writes: what types say of a place, and what the value of the last run really has. */
import { dirname } from 'node:path';
import { importableNames, packageVersions } from '../../hosts/node/package-versions.js';
import { historiesByLine } from '../../record/histories.js';
import { valueText } from '../../runtime/text.js';
import type { Sample } from '../../record/site-index.js';
import type { AssistAnswer } from '../../hosts/node/types.js';
import type { AssistedMessage } from '../protocol-files.js';
import type { ToServer } from '../protocol.js';
import type { Workbench } from './state.js';
import { openDocument } from './texts.js';
import type { Viewer } from './viewer.js';

type Question = Extract<ToServer, { type: 'assist' }>;

/** Milliseconds for which the names of a value wait for what types say; types come with the next key then. */
const WAITS_MS = 400;

export async function assist(
  workbench: Workbench,
  { window }: Viewer,
  { ask, file, offset, what, name }: Question,
): Promise<void> {
  if (what === 'package') {
    window.send({ type: 'assisted', ask, names: await packagesFor(name ?? '', file) });
    return;
  }
  const { text } = openDocument(workbench, file).shared;
  const question = what === 'detail' ? { what, file, offset, name: name ?? '' } : { what, file, offset };
  const types = workbench.types.assist(question, text);
  if (what === 'names') {
    const [answer, real] = await Promise.all([soon(types), namesOfValue(workbench, file, text, offset)]);
    window.send({ type: 'assisted', ask, names: joined(answer, real) });
    return;
  }
  const answer = await types;
  window.send({
    type: 'assisted',
    ask,
    names: [],
    ...(answer?.what === 'about' && answer.type !== '' ? { about: { type: answer.type, text: answer.text } } : {}),
    ...(answer?.what === 'signature' && answer.parts.length > 0 ? { signature: answer } : {}),
  });
}

/** What can be imported under a name that is being written: what is there, and what can be added, with its versions. */
async function packagesFor(typed: string, file: string): Promise<AssistedMessage['names']> {
  const folder = dirname(file);
  const there = importableNames(folder);
  const names = there
    .filter((name) => name.startsWith(typed) || name === `node:${typed}`)
    .map((name) => ({ name, kind: name.startsWith('node:') ? 'of Node' : 'installed', sort: '11' }));
  const isThere = there.includes(typed) || there.includes(`node:${typed}`);
  const found = typed === '' || isThere ? undefined : await packageVersions(typed, folder);
  if (!found) return names;
  const { versions, description } = found;
  return [
    ...versions.map((version, index) => ({
      name: `${typed}@${version}`,
      kind: index === 0 ? `add ${description.slice(0, 60)}`.trim() : 'add',
      sort: String(20 + index),
    })),
    ...names,
  ];
}

/** A loading checker must not hold up what is known already. */
function soon<T>(answer: Promise<T | undefined>): Promise<T | undefined> {
  return Promise.race([
    answer,
    new Promise<undefined>((resolve) => setTimeout(() => resolve(undefined), WAITS_MS).unref()),
  ]);
}

/** Names that types know, those of the value with what they hold; then what only the value has. */
function joined(
  answer: AssistAnswer | undefined,
  real: ReadonlyMap<string, string> | undefined,
): AssistedMessage['names'] {
  // Of a value that no type describes, types tell what is in scope: that is not what stands behind a dot.
  const typed = answer?.what === 'names' && (answer.isMember || !real) ? answer.names : [];
  const known = new Set(typed.map((one) => one.name));
  const withValues = typed.map((one) => {
    const value = real?.get(one.name);
    return value === undefined ? one : { ...one, value };
  });
  const only = [...(real ?? [])].filter(([name]) => !known.has(name));
  return [...withValues, ...only.map(([name, value]) => ({ name, kind: 'property', sort: '00', value }))];
}

/** Members that the value before a dot had in the last run; undefined where there is none, or it is not known. */
async function namesOfValue(
  workbench: Workbench,
  file: string,
  text: string,
  offset: number,
): Promise<Map<string, string> | undefined> {
  const { subject } = workbench;
  const receiver = /([\p{ID_Start}$_][\p{ID_Continue}$]*)\s*\??\.\s*[\p{ID_Continue}$]*$/u.exec(
    text.slice(Math.max(0, offset - 200), offset),
  );
  const before = receiver && text[offset - (receiver[0].length + 1)];
  if (!subject || !receiver || before === '.') return undefined;
  const record = subject.live?.recordFor(file) ?? subject.goodRecord;
  const sample = record && lastOf([...historiesByLine(record, file).values()].flat(), receiver[1]!);
  if (!sample || sample.value.type !== 'object') return undefined;
  // Its run may be over by now: then what was seen of it has to do.
  const answer = await soon(subject.look({ do: 'open', moment: sample.moment, part: 0 }));
  const members = new Map<string, string>();
  if (answer?.is === 'opened') {
    for (const { kind, key, step, value } of answer.opened.first)
      if ((kind === 'property' || kind === 'accessor') && step === `.${key}`) members.set(key, valueText(value, 60));
  } else
    for (const { key, value } of sample.value.entries ?? [])
      if (key !== undefined && sample.value.form === undefined) members.set(key, valueText(value, 60));
  return members;
}

/** The last sample of a variable. */
function lastOf(
  histories: readonly { name: string; kind: string; length: number; at(index: number): Sample }[],
  name: string,
): Sample | undefined {
  let last: Sample | undefined;
  for (const history of histories) {
    if (history.name !== name || history.length === 0 || history.kind === 'return') continue;
    const sample = history.at(history.length - 1);
    if (!last || sample.moment > last.moment) last = sample;
  }
  return last;
}
