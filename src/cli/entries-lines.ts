/** What a terminal is told of entry points. */
import stringWidth from 'string-width';
import type { ShownEntries, ShownEntry, ShownLine, ShownPiece, ShownPoint } from '../server/entries-shown.js';
import { durationText } from '../views/duration.js';
import { cut, harmless, type Paint } from './paint.js';
import { ago } from './targets.js';

/** Columns of a line with its values. */
const WIDE = 110;
const NARROW = 80;
/** Lines of an answer that are shown. */
const MOST_ANSWER = 40;

/** The list. */
export function entriesLines(name: string, { entries, isWatched }: ShownEntries, paint: Paint): string[] {
  if (!isWatched) return [`${paint.bold(name)}  what comes in is watched no longer`];
  const called = entries.filter(({ count }) => count > 0);
  const waiting = entries.filter(({ count }) => count === 0);
  const lines = [
    `${paint.bold(name)}  ${
      called.length === 0
        ? 'nothing came in since this was first asked: it is watched from now on'
        : `${counted(called.length, 'entry', 'entries')} since this was first asked`
    }`,
  ];
  const wide = Math.max(0, ...entries.map(({ key }) => Math.min(44, stringWidth(harmless(key)))));
  for (const point of called) lines.push(`  ${pointLine(point, wide, paint)}`);
  if (waiting.length > 0) lines.push(`${paint.dim('registered, and not called yet')}`);
  for (const point of waiting)
    lines.push(`  ${cut(harmless(point.key), 44).padEnd(wide)}  ${paint.dim(placeText(point))}`);
  return lines;
}

function pointLine(point: ShownPoint, wide: number, paint: Paint): string {
  const { key, count, failed, meanMs = 0, rate, status, at, where } = point;
  const parts = [
    `×${count.toLocaleString('en-US')}`.padStart(7),
    durationText(meanMs).padStart(8),
    (status === undefined ? '' : String(status)).padStart(3),
  ];
  const more = [
    ...(failed > 0 ? [paint.fail(`${failed.toLocaleString('en-US')} failed`)] : []),
    ...(rate >= 1 ? [`${Math.round(rate)}/s`] : []),
    ...(at === undefined ? [] : [ago(new Date(at).toISOString())]),
    ...(where === undefined ? [] : [where]),
    placeText(point),
  ].filter((text) => text !== '');
  return `${cut(harmless(key), 44).padEnd(wide)} ${parts.join(' ')}  ${paint.dim(more.join(' · '))}`;
}

function placeText({ place }: ShownPoint): string {
  if (!place) return '';
  return `${harmless(place.file)}${place.line === undefined ? '' : `:${place.line}`}${place.name === undefined ? '' : ` ${harmless(place.name)}`}`;
}

/** The pieces of one entry point, and its answer. */
export function entryLines(entry: ShownEntry, paint: Paint): string[] {
  const { point, question, why, pieces, faded } = entry;
  const lines = [paint.bold(harmless(point.key))];
  if (question) lines.push(paint.dim(`asked ${question.method} ${harmless(question.url)} at port ${question.port}`));
  if (why !== undefined) lines.push(paint.amber(`not asked: ${harmless(why)}`));
  if (pieces.length === 0) lines.push(paint.dim('no code of the program is known to work for it yet'));
  for (const piece of pieces) lines.push('', ...pieceLines(piece, paint));
  for (const piece of faded)
    lines.push('', paint.dim(`no longer reached: ${piece.is === 'code' ? piece.name : piece.text}`));
  lines.push(...answerLines(entry, paint));
  return lines;
}

function pieceLines(piece: ShownPiece, paint: Paint): string[] {
  const joined = piece.joined ? `  ${paint.amber('joined')}` : '';
  if (piece.is !== 'code') {
    const { is, text, state, status, ms, answer } = piece;
    const facts = [
      ...(state === 'done' ? [] : [state]),
      ...(status === undefined ? [] : [String(status)]),
      ...(ms === undefined ? [] : [durationText(ms)]),
    ];
    const head = `${paint.dim(`── ${is}`)}  ${cut(harmless(text), NARROW)}  ${paint.dim(facts.join(' · '))}${joined}`;
    return answer === undefined ? [head] : [head, `   ${paint.dim(cut(harmless(answer).replace(/\s+/g, ' '), WIDE))}`];
  }
  const { file, name, layer, calls, ms, isAbout, threw, lines } = piece;
  const facts = [
    `×${calls.toLocaleString('en-US')}`,
    `${isAbout ? 'about ' : ''}${durationText(ms)}`,
    ...(threw ? [`threw ${threw === 1 ? 'once' : `${threw} times`}`] : []),
  ];
  const head = `${paint.dim('──')} ${harmless(name)}  ${paint.dim(`${harmless(file)}:${lines[0]?.line ?? 1} · ${layer} · ${facts.join(' · ')}`)}${joined}`;
  const wide = Math.min(
    62,
    Math.max(
      ...lines.filter(({ values, errors }) => values.length + errors.length > 0).map(({ text }) => stringWidth(text)),
      20,
    ),
  );
  return [head, ...lines.map((line) => codeLine(line, wide, paint))];
}

function codeLine({ line, text, values, errors, state, hits = 0 }: ShownLine, wide: number, paint: Paint): string {
  const rail =
    errors.length > 0 || state === 'failed'
      ? paint.fail('▌')
      : hits > 0
        ? '▌'
        : state === 'never'
          ? paint.dim('┊')
          : ' ';
  const number = paint.dim(String(line).padStart(4));
  const code = harmless(text);
  if (values.length + errors.length === 0) return `${rail}${number}  ${code}`.trimEnd();
  const shown = stringWidth(code) > wide ? cut(code, wide) : code.padEnd(wide);
  const room = Math.max(20, WIDE - wide - 8);
  const beside =
    errors.length > 0 ? paint.fail(cut(harmless(errors.join(' · ')), room)) : cut(harmless(values.join(' · ')), room);
  return `${rail}${number}  ${shown} ${paint.dim('│')} ${beside}`;
}

function answerLines({ answer, change }: ShownEntry, paint: Paint): string[] {
  if (!answer || answer.failed !== undefined) return [];
  const type = answer.headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? '';
  const { body } = answer;
  const size = body ? `${body.size.toLocaleString('en-US')} bytes` : 'no body';
  const lines = [
    '',
    `${paint.dim('── answer')}  ${answer.status ?? ''}  ${paint.dim([type, size, durationText(answer.ms)].filter((text) => text !== '').join(' · '))}`,
  ];
  if (body) {
    if (body.base64) lines.push(paint.dim('   no text'));
    else {
      const all = body.text.replace(/\n$/, '').split('\n');
      const added = new Set(change?.lines.added ?? []);
      for (const [index, text] of all.slice(0, MOST_ANSWER).entries())
        lines.push(`${added.has(index) ? paint.amber('+ ') : '  '}${cut(harmless(text), WIDE)}`);
      if (all.length > MOST_ANSWER) lines.push(paint.dim(`  … ${all.length - MOST_ANSWER} lines more`));
    }
  }
  for (const { path, before, now } of change?.places ?? [])
    lines.push(
      `${paint.amber('changed')}  ${harmless(path)}  ${harmless(before ?? 'nothing')} → ${harmless(now ?? 'nothing')}`,
    );
  return lines;
}

function counted(count: number, one: string, many: string): string {
  return `${count.toLocaleString('en-US')} ${count === 1 ? one : many}`;
}
