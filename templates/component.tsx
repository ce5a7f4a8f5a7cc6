// A component, with React (it is added when you say so)
import { useState } from 'react';

export default function Lock() {
  const [level, setLevel] = useState(1.4);
  return (
    <main style={{ font: '16px system-ui', padding: 24 }}>
      <h1>Alder</h1>
      <p>Water in the chamber: {level.toFixed(1)} m</p>
      <button onClick={() => setLevel(level + 0.5)}>Fill</button>
    </main>
  );
}
