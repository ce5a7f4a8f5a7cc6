/** Ways that a pad compares: what differs first, then the points themselves, the interval, how times grow, a table. */
import type { ComparisonsMessage } from '../server/protocol.js';
import {
  type ComparisonDrawing,
  type ComparisonShape,
  DOT,
  growthDrawing,
  growthText,
  pointsDrawing,
  SQUARE,
} from '../views/comparison-drawing.js';
import { comparisonHtml } from '../views/share/comparison-html.js';
import { timeText } from '../views/time-text.js';
import { downloadPart } from './browser.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import './comparison.css';

type Shown = ComparisonsMessage['list'][number];

export function ComparisonList({ store, state }: { store: Store; state: State }) {
  return state.comparisons.map((one, index) => (
    <section key={index} className={`card comparison${one.stale ? ' stale' : ''}`} aria-label={one.names.join(' and ')}>
      <h3>
        <span>{one.names.join(', ')}</span>
        <button className="quiet" onClick={() => store.goTo(state.pad, one.line, 0)}>
          line {one.line + 1}
        </button>
      </h3>
      {one.state === 'failed' ? <p className="fail">{`Not compared: ${one.text}.`}</p> : null}
      {one.found.map(({ comparison, sentence, differing }) => (
        <One key={comparison.candidate.name} {...{ comparison, sentence, differing }} />
      ))}
      {one.state === 'done' && one.found.length > 0 && !one.stale ? (
        <p>
          {one.found.map(({ comparison }) => (
            <button key={comparison.candidate.name} className="quiet" onClick={() => exportPage(comparison)}>
              Export {one.found.length === 1 ? 'as a page' : `${comparison.candidate.name} as a page`}
            </button>
          ))}
        </p>
      ) : null}
      {one.state === 'done' || one.state === 'failed' ? null : (
        <p className="dim" role="status">
          {one.state === 'waits' ? 'compared when nothing is typed' : `${one.text} …`}
        </p>
      )}
    </section>
  ));
}

/** The comparison as a file that stands alone. */
function exportPage(comparison: Shown['found'][number]['comparison']): void {
  const { baseline, candidate } = comparison;
  const name = `${baseline.name} and ${candidate.name}`.replace(/[^\w .-]/g, '_');
  downloadPart(`${name}.html`, 'text/html', comparisonHtml(comparison));
}

function One({ comparison, sentence, differing }: Shown['found'][number]) {
  const { equality, timing, growth, baseline, candidate } = comparison;
  const names = { baseline: baseline.name, candidate: candidate.name };
  const differs = equality.differing > 0;
  return (
    <div className="compared">
      {differs ? (
        <pre className="fail">{differing.join('\n')}</pre>
      ) : (
        <p>
          <strong>{sentence}</strong>
        </p>
      )}
      {!differs && timing ? (
        <p className="dim">
          both give the same for {equality.tried.toLocaleString('en-US')} {equality.tried === 1 ? 'input' : 'inputs'}
        </p>
      ) : null}
      {timing ? (
        <div className={differs ? 'pale' : ''} title={differs ? 'worth nothing before both give the same' : undefined}>
          <Drawn drawing={pointsDrawing(comparison, timing)} className="compared-points" />
          <table>
            <thead>
              <tr>
                <th />
                <th>one call</th>
                <th>a second</th>
                <th>bytes a call</th>
              </tr>
            </thead>
            <tbody>
              {(
                [
                  [baseline.name, timing.baseline],
                  [candidate.name, timing.candidate],
                ] as const
              ).map(([name, { ns, perSecond, bytes }]) => (
                <tr key={name}>
                  <th>{name}</th>
                  <td
                    title={`a tenth of the processes is below ${timeText(ns.low)}, a tenth above ${timeText(ns.high)}`}
                  >
                    {timeText(ns.value)}
                  </td>
                  <td>{Math.round(perSecond).toLocaleString('en-US')}</td>
                  <td>{bytes === undefined ? '' : bytes.toLocaleString('en-US')}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {growth ? (
            <>
              <Drawn drawing={growthDrawing(names, growth)} className="compared-growth" />
              <p className="dim">{growthText(names, growth)}</p>
            </>
          ) : null}
        </div>
      ) : null}
    </div>
  );
}

function Drawn({ drawing, className }: { drawing: ComparisonDrawing | undefined; className: string }) {
  if (!drawing) return null;
  const { width, height, words, shapes } = drawing;
  return (
    <svg width={width} height={height} role="img" aria-label={words} className={className}>
      <title>{words}</title>
      {shapes.map((shape, index) => (
        <Shape key={index} shape={shape} />
      ))}
    </svg>
  );
}

function Shape({ shape }: { shape: ComparisonShape }) {
  switch (shape.is) {
    case 'dot':
      return <circle cx={shape.x} cy={shape.y} r={DOT} className={shape.of} />;
    case 'square':
      return (
        <rect x={shape.x - SQUARE} y={shape.y - SQUARE} width={2 * SQUARE} height={2 * SQUARE} className={shape.of} />
      );
    case 'line':
      return <line x1={shape.x1} x2={shape.x2} y1={shape.y1} y2={shape.y2} className={shape.of} />;
    case 'curve':
      return <polyline points={shape.points.join(' ')} className={shape.of} />;
    case 'text':
      return (
        <text x={shape.x} y={shape.y} textAnchor={shape.end ? 'end' : 'start'}>
          {shape.text}
        </text>
      );
  }
}
