/** The canal from the side: a step for each lock. */

const STEP = { width: 60, scale: 6 };

export function profile(locks: Record<string, { rise: number; level: number }>): string {
  const steps = Object.entries(locks);
  let height = 0;
  const parts = steps.map(([name, { rise }], index) => {
    height += rise;
    return step(name, index, height);
  });
  const width = steps.length * STEP.width;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="200">${parts.join('')}</svg>`;
}

function step(name: string, index: number, height: number): string {
  const top = 200 - height * STEP.scale;
  const x = index * STEP.width;
  return `<rect x="${x}" y="${top}" width="${STEP.width - 2}" height="${height * STEP.scale}" fill="#6d93a8"/><text x="${x + 6}" y="${top - 4}" font-size="11">${name}</text>`;
}
