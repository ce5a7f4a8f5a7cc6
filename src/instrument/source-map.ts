/** From offsets of compiled code back to the original, and as a source map. */
import { floorIndex } from '../wire/sorted.js';
import { type EncodedSourceMap, GenMapping, addMapping, setSourceContent, toEncodedMap } from '@jridgewell/gen-mapping';
import { TraceMap, decodedMappings } from '@jridgewell/trace-mapping';
import { LineTable } from '../syntax/positions.js';
import { Written } from '../syntax/written.js';
import type { Compiled } from './translator.js';

/** The segments of printed code; `back` gives the original offset of a place in what was printed. */
export function segmentsOf(
  translated: { code: string; map: string },
  back: (line: number, character: number) => number,
): { generated: Int32Array; source: Int32Array } {
  const map = new TraceMap(translated.map);
  const lines = new LineTable(translated.code);
  const generated: number[] = [];
  const source: number[] = [];
  decodedMappings(map).forEach((segments, line) => {
    const start = lines.starts[line];
    if (start === undefined) return;
    for (const segment of segments) {
      if (segment.length < 4) continue;
      generated.push(start + segment[0]);
      source.push(~back(segment[2]!, segment[3]!));
    }
  });
  return { generated: Int32Array.from(generated), source: Int32Array.from(source) };
}

/** The original offset behind an offset of compiled code. */
export function originalOffset(compiled: Pick<Compiled, 'generated' | 'source'>, offset: number): number {
  const { generated, source } = compiled;
  if (generated.length === 0) return offset;
  const at = floorIndex(generated, offset);
  const from = source[at]!;
  return from < 0 ? ~from : from + (offset - generated[at]!);
}

/**
 * What a person wrote, behind code that other tools made of it.
 *
 * @param map from the code to what was written, version 3; of several sources the one that has the name of the file
 * @param text what was written, for a map that does not hold it
 */
export function writtenBehind(code: string, map: string, file: string, text: () => string): Written {
  const trace = new TraceMap(map);
  const name = file.replace(/^.*[\\/]/, '');
  const own = Math.max(
    0,
    trace.sources.findIndex((source) => source?.replace(/^.*[\\/]/, '').split('?')[0] === name),
  );
  const made = new LineTable(code);
  const written = trace.sourcesContent?.[own] ?? text();
  const lines = new LineTable(written);
  const generated: number[] = [];
  const source: number[] = [];
  decodedMappings(trace).forEach((segments, line) => {
    const start = made.starts[line];
    if (start === undefined) return;
    for (const segment of segments) {
      generated.push(start + segment[0]);
      const isOwn = segment.length >= 4 && segment[1] === own;
      source.push(isOwn ? lines.offsetAt({ line: segment[2]!, character: segment[3]! }) : -1);
    }
  });
  return new Written(written, code, Int32Array.from(generated), Int32Array.from(source));
}

export function identityMap(file: string, text: string): EncodedSourceMap {
  return mapOf({ file, code: text, generated: Int32Array.of(0), source: Int32Array.of(0) }, text);
}

/** A source map from compiled code to its original. */
export function mapOf(
  compiled: Pick<Compiled, 'file' | 'code' | 'generated' | 'source'>,
  original: string,
): EncodedSourceMap {
  const map = new GenMapping({ file: compiled.file });
  setSourceContent(map, compiled.file, original);
  const lines = new LineTable(compiled.code);
  const originals = new LineTable(original);
  const add = (at: number, from: number): void => {
    const place = lines.positionAt(at);
    const back = originals.positionAt(from);
    addMapping(map, {
      generated: { line: place.line + 1, column: place.character },
      source: compiled.file,
      original: { line: back.line + 1, column: back.character },
    });
  };
  for (let i = 0; i < compiled.generated.length; i++) {
    const start = compiled.generated[i]!;
    const end = i + 1 < compiled.generated.length ? compiled.generated[i + 1]! : compiled.code.length;
    const from = compiled.source[i]!;
    add(start, from < 0 ? ~from : from);
    if (from < 0) continue;
    // Copied text: each word leads back to itself.
    for (const word of compiled.code.slice(start, end).matchAll(/[\p{ID_Continue}$]+/gu))
      if (word.index > 0) add(start + word.index, from + word.index);
    const last = lines.lineAt(Math.max(start, end - 1));
    for (let line = lines.lineAt(start) + 1; line <= last; line++)
      add(lines.starts[line]!, from + (lines.starts[line]! - start));
  }
  return toEncodedMap(map);
}
