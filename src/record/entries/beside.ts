/** Two requests side by side: which code did one need and not the other, and where did their values part. */
import { valueText } from '../../runtime/text.js';
import { valueAt, type PadRecord } from '../record.js';
import { nameOfPiece, type Piece } from './pieces.js';

/** A place at which two requests gave other values, the first of each piece. */
export interface Parting {
  file: string;
  /** Zero-based. */
  line: number;
  name: string;
  one: string;
  other: string;
}

export interface SideBySide {
  both: string[];
  onlyOne: string[];
  onlyOther: string[];
  /** In the order of the first request. */
  partings: Parting[];
}

interface Needed {
  pieces: readonly Piece[];
  record: PadRecord;
}

const MOST_PARTINGS = 50;

/** Both records are to be of one text: places of another one are not found. */
export function sideBySide(one: Needed, other: Needed): SideBySide {
  const [first, second] = [names(one), names(other)];
  return {
    both: first.filter((name) => second.includes(name)),
    onlyOne: first.filter((name) => !second.includes(name)),
    onlyOther: second.filter((name) => !first.includes(name)),
    partings: partingsOf(one.record, other.record),
  };
}

function names({ pieces }: Needed): string[] {
  return [...new Set(pieces.map(nameOfPiece))];
}

/** A value of a place, by its visit. */
interface Told {
  file: string;
  line: number;
  name: string;
  text: string;
}

function partingsOf(one: PadRecord, other: PadRecord): Parting[] {
  const second = new Map(toldBy(other).map(({ key, told }) => [key, told]));
  const found: Parting[] = [];
  const known = new Set<string>();
  for (const { key, told } of toldBy(one)) {
    const there = second.get(key);
    const { file, line, name, text } = told;
    // Behind the first of a place the others follow from it.
    if (!there || there.text === text || known.has(`${file} ${line}`)) continue;
    known.add(`${file} ${line}`);
    found.push({ file, line, name, one: text, other: there.text });
    if (found.length >= MOST_PARTINGS) break;
  }
  return found;
}

/** Values in the order in which they were told. */
function toldBy({ program, samples }: PadRecord): { key: string; told: Told }[] {
  const told: { key: string; told: Told; moment: number }[] = [];
  for (let row = 0; row < samples.length; row++) {
    const number = samples.site[row]!;
    const file = program.files.find(({ base, sites }) => number >= base && number < base + sites.length);
    const site = file?.sites[number - file.base];
    if (!file || !site || site.start < 0) continue;
    const { line, character } = file.lines.positionAt(site.start);
    told.push({
      key: `${file.file} ${line}:${character} ${site.kind} ${site.name} ${samples.visit[row]!}`,
      told: { file: file.file, line, name: site.name, text: valueText(valueAt(samples, row), 200) },
      moment: samples.moment[row]!,
    });
  }
  return told.sort((a, b) => a.moment - b.moment);
}
