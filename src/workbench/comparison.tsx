/** Ways that a pad compares: what differs first, then the points themselves, the interval, how times grow, a table. */
import type { ComparisonsMessage } from '../server/protocol.js';
import { timeText } from '../views/time-text.js';
import type { State } from './state.js';
import type { Store } from './store.js';
import './comparison.css';

type Shown = ComparisonsMessage['list'][number];
type Comparison = Shown['found'][number]['comparison'];

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
      {one.state === 'done' || one.state === 'failed' ? null : (
        <p className="dim" role="status">
          {one.state === 'waits' ? 'compared when nothing is typed' : `${one.text} …`}
        </p>
      )}
    </section>
  ));
}

function One({ comparison, sentence, differing }: Shown['found'][number]) {
  const { equality, timing, growth, baseline, candidate } = comparison;
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
          <Points comparison={comparison} />
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
          {growth ? <Growth growth={growth} names={[baseline.name, candidate.name]} /> : null}
        </div>
      ) : null}
    </div>
  );
}

const WIDTH = 316;
const LEFT = 6;

/** A scale of powers over numbers, with room at both ends. */
function scaleOf(numbers: readonly number[], from: number, to: number): (value: number) => number {
  const low = Math.log(Math.min(...numbers)) - 0.05;
  const high = Math.log(Math.max(...numbers)) + 0.05;
  return (value) => from + ((Math.log(value) - low) / (high - low || 1)) * (to - from);
}

/** A point for each process, and the ratio with its interval. */
function Points({ comparison: { baseline, candidate, timing } }: { comparison: Comparison }) {
  const { ratio } = timing!;
  const rows = [
    { name: baseline.name, points: timing!.baseline.points, sign: 'circle' },
    { name: candidate.name, points: timing!.candidate.points, sign: 'square' },
  ] as const;
  const x = scaleOf(
    rows.flatMap(({ points }) => points),
    LEFT + 4,
    WIDTH - 8,
  );
  const ends = [ratio.low, ratio.high, 1];
  const at = scaleOf(ends, LEFT + 4, WIDTH - 8);
  const words = `Times of ${baseline.name} and ${candidate.name}, one point for each process; the ratio is ${ratio.value.toFixed(2)}, between ${ratio.low.toFixed(2)} and ${ratio.high.toFixed(2)}`;
  return (
    <svg width={WIDTH} height={118} role="img" aria-label={words} className="compared-points">
      <title>{words}</title>
      {rows.map(({ name, points, sign }, row) => (
        <g key={name}>
          <text x={LEFT} y={12 + row * 34}>
            {name}
          </text>
          {points.map((ns, index) =>
            sign === 'circle' ? (
              <circle key={index} cx={x(ns)} cy={23 + row * 34 + (index % 3) * 2} r={2.6} className="one" />
            ) : (
              <rect
                key={index}
                x={x(ns) - 2.4}
                y={21 + row * 34 + (index % 3) * 2}
                width={4.8}
                height={4.8}
                className="other"
              />
            ),
          )}
        </g>
      ))}
      <line x1={at(1)} x2={at(1)} y1={74} y2={100} className="same" />
      <line x1={at(ratio.low)} x2={at(ratio.high)} y1={87} y2={87} className="interval" />
      <circle cx={at(ratio.value)} cy={87} r={3.4} className="ratio" />
      <text x={LEFT} y={113}>
        {`ratio ${ratio.value.toFixed(2)}, ${ratio.low.toFixed(2)} … ${ratio.high.toFixed(2)}; the line is 1`}
      </text>
    </svg>
  );
}

/** Times at growing sizes of input, both scales in powers. */
function Growth({ growth, names }: { growth: NonNullable<Comparison['growth']>; names: [string, string] }) {
  const { baseline, candidate, crossing } = growth;
  const height = 150;
  const all = [...baseline.points, ...candidate.points];
  if (all.length < 4) return null;
  const x = scaleOf(
    all.map(({ size }) => size),
    LEFT + 34,
    WIDTH - 10,
  );
  const y = scaleOf(
    all.map(({ ns }) => ns),
    height - 24,
    10,
  );
  const path = (points: typeof baseline.points): string =>
    points.map(({ size, ns }) => `${x(size)},${y(ns)}`).join(' ');
  const last = baseline.points[baseline.points.length - 1]!;
  const words = `${names[0]} grows with size to the power of ${baseline.exponent.toFixed(1)}, ${names[1]} of ${candidate.exponent.toFixed(1)}`;
  return (
    <>
      <svg width={WIDTH} height={height} role="img" aria-label={words} className="compared-growth">
        <title>{words}</title>
        <polyline points={path(baseline.points)} className="one" />
        <polyline points={path(candidate.points)} className="other" />
        {baseline.points.map(({ size, ns }) => (
          <circle key={size} cx={x(size)} cy={y(ns)} r={2.6} className="one" />
        ))}
        {candidate.points.map(({ size, ns }) => (
          <rect key={size} x={x(size) - 2.4} y={y(ns) - 2.4} width={4.8} height={4.8} className="other" />
        ))}
        <text x={LEFT} y={y(last.ns) + 4}>
          {timeText(last.ns)}
        </text>
        <text x={LEFT + 34} y={height - 6}>
          {`size ${baseline.points[0]!.size}`}
        </text>
        <text x={WIDTH - 10} y={height - 6} textAnchor="end">
          {last.size.toLocaleString('en-US')}
        </text>
      </svg>
      <p className="dim">
        {`● ${names[0]} size^${baseline.exponent.toFixed(1)}, ■ ${names[1]} size^${candidate.exponent.toFixed(1)}`}
        {crossing === undefined
          ? ''
          : `; they cross at a size of about ${Math.round(crossing).toLocaleString('en-US')}`}
      </p>
    </>
  );
}
