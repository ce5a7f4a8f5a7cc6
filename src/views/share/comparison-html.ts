/** A comparison as one page: no script, nothing loaded from anywhere. */
import type { Comparison } from '../../compare/comparison.js';
import {
  type ComparisonDrawing,
  type ComparisonShape,
  DOT,
  growthDrawing,
  growthText,
  pointsDrawing,
  SQUARE,
} from '../comparison-drawing.js';
import { comparisonLines, PLAIN_COMPARISON } from '../comparison-text.js';
import { escape } from '../escape.js';

const STYLE = `
:root {
  color-scheme: light dark; --sheet: #fffdf8; --ink: #23211c; --dim: #67625a; --edge: #ddd8cc; --amber: #d9711f;
  --value: #1f5e86;
}
@media (prefers-color-scheme: dark) { :root {
  --sheet: #211f1c; --ink: #e9e4d8; --dim: #a8a191; --edge: #383530; --amber: #ee8a3c; --value: #83bde4;
} }
body { margin: 0; padding: 24px; background: var(--sheet); color: var(--ink); font: 14px/1.5 system-ui, sans-serif; }
h1 { font-size: 16px; margin: 0 0 12px; }
pre { font: 13px/1.5 ui-monospace, monospace; white-space: pre-wrap; word-break: break-word; }
svg { max-width: 100%; height: auto; display: block; margin: 12px 0; }
svg text { font: 11px ui-monospace, monospace; fill: var(--dim); }
.one { fill: var(--value); stroke: var(--value); }
.other { fill: var(--amber); stroke: var(--amber); }
.ratio { fill: var(--ink); }
.same, .interval { stroke: var(--ink); }
.same { stroke-dasharray: 2 2; }
.interval { stroke-width: 2; }
polyline.one, polyline.other { fill: none; }
.pale { opacity: 0.45; }
`;

/** One self-contained page. Times of ways that differ are drawn pale. */
export function comparisonHtml(comparison: Comparison): string {
  const { baseline, candidate, equality, timing, growth } = comparison;
  const names = { baseline: baseline.name, candidate: candidate.name };
  const title = escape(`${names.baseline} and ${names.candidate}`);
  const drawings = [
    ...(timing ? [svgOf(pointsDrawing(comparison, timing))] : []),
    ...(growth ? [svgOf(growthDrawing(names, growth)), `<p>${escape(growthText(names, growth))}</p>`] : []),
  ];
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<meta name="viewport" content="width=device-width">
<title>${title}</title>
<style>${STYLE}</style>
<h1>${title}</h1>
<pre>${escape(comparisonLines(comparison, PLAIN_COMPARISON).join('\n'))}</pre>
<div${equality.differing > 0 ? ' class="pale"' : ''}>
${drawings.join('\n')}
</div>
</html>
`;
}

function svgOf(drawing: ComparisonDrawing | undefined): string {
  if (!drawing) return '';
  const { width, height, words, shapes } = drawing;
  return `<svg width="${width * 1.5}" viewBox="0 0 ${width} ${height}" role="img"><title>${escape(words)}</title>${shapes.map(shapeOf).join('')}</svg>`;
}

function shapeOf(shape: ComparisonShape): string {
  switch (shape.is) {
    case 'dot':
      return `<circle cx="${shape.x}" cy="${shape.y}" r="${DOT}" class="${shape.of}"/>`;
    case 'square':
      return `<rect x="${shape.x - SQUARE}" y="${shape.y - SQUARE}" width="${2 * SQUARE}" height="${2 * SQUARE}" class="${shape.of}"/>`;
    case 'line':
      return `<line x1="${shape.x1}" y1="${shape.y1}" x2="${shape.x2}" y2="${shape.y2}" class="${shape.of}"/>`;
    case 'curve':
      return `<polyline points="${shape.points.join(' ')}" class="${shape.of}"/>`;
    case 'text':
      return `<text x="${shape.x}" y="${shape.y}"${shape.end ? ' text-anchor="end"' : ''}>${escape(shape.text)}</text>`;
  }
}
