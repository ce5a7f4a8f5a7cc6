/** Lines of a piece of code, with the rail before and values behind them. */
import { highlightCode } from '@lezer/highlight';
import { useMemo } from 'react';
import type { ShownLine } from '../server/protocol-entries.js';
import { colours } from './code-colours.js';
import { languageOf } from './languages.js';
import './pieces.css';

interface Props {
  file: string;
  lines: readonly ShownLine[];
  /** What a click does. */
  label?: string;
  /** Zero-based. */
  onEdit(line: number, character: number): void;
}

export function PieceLines({ file, lines, label = 'Edit this piece', onEdit }: Props) {
  const coloured = useMemo(() => highlighted(file, lines.map(({ text }) => text).join('\n')), [file, lines]);
  const first = lines[0]?.line ?? 1;
  return (
    <div
      className="piece-lines"
      role="button"
      aria-label={label}
      tabIndex={0}
      onClick={(event) => {
        const row = (event.target as HTMLElement).closest<HTMLElement>('[data-line]');
        onEdit(Number(row?.dataset.line ?? first) - 1, characterAt(event.clientX, event.clientY));
      }}
      onKeyDown={(event) => {
        if (event.key !== 'Enter') return;
        event.preventDefault();
        onEdit(first - 1, 0);
      }}
    >
      {lines.map(({ line, values, errors, state, hits = 0, heat = 0, title }, index) => (
        <div key={line} className={`piece-line${errors.length > 0 ? ' bad-line' : ''}`} data-line={line}>
          <span
            className={`rail rail-${state ?? 'none'} heat-${heat}${hits >= 1_000 ? ' hot' : ''}`}
            role={state ? 'img' : undefined}
            aria-label={title}
            title={title}
          />
          <span className="piece-number">{line}</span>
          <code>
            {(coloured[index] ?? []).map(({ text, className }, at) =>
              className === '' ? (
                text
              ) : (
                <span key={at} className={className}>
                  {text}
                </span>
              ),
            )}
          </code>
          {values.length + errors.length > 0 ? (
            <span
              className={`piece-values${errors.length > 0 ? ' fail' : ''}`}
              title={[...errors, ...values].join('\n')}
            >
              {[...errors, ...values].join(' · ').replace(/\n/g, '↵')}
            </span>
          ) : null}
        </div>
      ))}
    </div>
  );
}

/** The character of a line that was clicked at. */
function characterAt(x: number, y: number): number {
  type Caret = { offsetNode: Node; offset: number } | null;
  const { caretPositionFromPoint } = document as { caretPositionFromPoint?: (x: number, y: number) => Caret };
  const found = caretPositionFromPoint?.call(document, x, y);
  const code = found?.offsetNode.parentElement?.closest('code');
  if (!found || !code) return 0;
  const range = document.createRange();
  range.setStart(code, 0);
  range.setEnd(found.offsetNode, found.offset);
  return range.toString().length;
}

/** A text as lines of parts with their classes. */
function highlighted(file: string, text: string): { text: string; className: string }[][] {
  const lines: { text: string; className: string }[][] = [[]];
  const { language } = languageOf(file);
  highlightCode(
    text,
    language.parser.parse(text),
    colours,
    (part, className) => lines[lines.length - 1]!.push({ text: part, className }),
    () => lines.push([]),
  );
  return lines;
}
