/** All the code that took part in a call of a walk, as a window shows it. */
import { valueText } from '../../../runtime/text.js';
import type { PadRecord } from '../../../record/record.js';
import { layerOf, type LayerPatterns } from '../../../record/entries/layers.js';
import { walkedPieces } from '../../../record/walk/pieces.js';
import type { Walk } from '../../../record/walk/walk.js';
import type { WalkPieces } from '../../protocol.js';

/** Functions that are told. */
const MOST = 100;
const LONGEST = 80;

/**
 * @param frame number of the call; 0 for all that ran
 * @param nameOf a file as windows know it
 */
export function walkPieces(
  { program }: PadRecord,
  run: Walk,
  frame: number,
  nameOf: (file: string) => string,
  layers: LayerPatterns = {},
): WalkPieces['pieces'] {
  const texts = new Map(program.files.map(({ file, lines }) => [file, lines]));
  return walkedPieces(run, frame, MOST, (value) => valueText(value, LONGEST)).map(
    ({ file, name, firstLine, lastLine, calls, threw, lines }) => ({
      file: nameOf(file),
      name: name || 'a function without a name',
      layer: layerOf(nameOf(file), layers),
      calls,
      ...(threw > 0 ? { threw } : {}),
      lines: Array.from({ length: lastLine - firstLine + 1 }, (_, index) => {
        const line = firstLine + index;
        const { hits = 0, values = new Map<string, string>() } = lines.get(line) ?? {};
        return {
          line: line + 1,
          text: texts.get(file)?.line(line) ?? '',
          ...(hits > 0 ? { state: 'ran', hits, title: hits === 1 ? 'ran once' : `ran ${hits} times` } : {}),
          values: [...values].map(([variable, text]) => `${variable} = ${text}`),
          errors: [],
        };
      }),
    }),
  );
}
