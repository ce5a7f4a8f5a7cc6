// The gauge's dial as a component: drag the range, and read what the hand does.
import { useState } from 'react';

const [from, to] = [-120, 120];

function angleOf(level: number, deepest: number): number {
  return from + (Math.min(level, deepest) / deepest) * (to - from);
}

function Dial({ level, deepest }: { level: number; deepest: number }) {
  const angle = angleOf(level, deepest);
  return (
    <svg viewBox="-60 -60 120 120" width="260" role="img" aria-label={`${level.toFixed(1)} metres`}>
      <circle r="54" fill="#fffdf8" stroke="#67625a" strokeWidth="3" />
      {[0, 0.25, 0.5, 0.75, 1].map((part) => (
        <line key={part} y1="-48" y2="-40" stroke="#67625a" strokeWidth="2" transform={`rotate(${from + part * (to - from)})`} />
      ))}
      <line y1="8" y2="-38" stroke="#d9711f" strokeWidth="4" transform={`rotate(${angle})`} />
      <text y="34" textAnchor="middle" fontSize="13" fill="#23211c">
        {level.toFixed(1)} m
      </text>
    </svg>
  );
}

export default function Gauge() {
  const [level, setLevel] = useState(2.6);
  return (
    <main style={{ font: '15px system-ui', padding: 16 }}>
      <Dial level={level} deepest={4.2} />
      <p>
        <label>
          chamber <input type="range" min="0" max="4.2" step="0.1" value={level} onChange={(event) => setLevel(Number(event.target.value))} />
        </label>
      </p>
    </main>
  );
}
