/** The outline of a text that parses, for whoever has only the text. */
import { isTooDeep } from './depth.js';
import { type Outline, outlineOf } from './outline.js';
import { parse } from './parse.js';
import type { ProjectSettings } from './settings.js';

/** @returns undefined for a text that does not parse, or is nested too deep */
export function outlineOfText(text: string, file: string, settings?: ProjectSettings): Outline | undefined {
  const parsed = parse(text, { file, ...(settings ? { settings } : {}) });
  if (!parsed.program || parsed.problems.length > 0) return undefined;
  try {
    return outlineOf(parsed);
  } catch (error) {
    if (isTooDeep(error)) return undefined;
    throw error;
  }
}
