/** Sites and code of a file that other tools made of what a person wrote: every place is one of the text. */
import type { Compiled } from '../instrument/translator.js';
import type { Site } from '../instrument/sites.js';
import type { Written } from '../syntax/written.js';

/** What tools have put into the code is nobody's business: it counts, and is not shown. */
export function placedSites(sites: readonly Site[], written: Written): Site[] {
  return sites.map((site) => {
    const range = written.range(site);
    if (!range) return { ...site, kind: 'step', start: 0, end: 0 };
    const { tried, ...own } = site;
    const around = tried && written.range(tried);
    return { ...own, ...range, ...(around ? { tried: around } : {}) };
  });
}

/** Segments of compiled code that lead to the text in place of the code that was made of it. */
export function placedSegments(
  { generated, source }: Pick<Compiled, 'generated' | 'source'>,
  written: Written,
): Pick<Compiled, 'generated' | 'source'> {
  const starts: number[] = [];
  const origins: number[] = [];
  const add = (at: number, from: number): void => {
    // What stands for nothing keeps the place before it.
    const place = written.near(from < 0 ? ~from : from);
    if (place < 0) return;
    starts.push(at);
    origins.push(~place);
  };
  generated.forEach((at, index) => {
    const from = source[index]!;
    add(at, from);
    if (from < 0) return;
    // Within what was taken over as it stands, the text has places of its own.
    const length = (generated[index + 1] ?? at + 1) - at;
    for (const start of written.startsBetween(from + 1, from + length)) add(at + start - from, start);
  });
  return { generated: Int32Array.from(starts), source: Int32Array.from(origins) };
}
