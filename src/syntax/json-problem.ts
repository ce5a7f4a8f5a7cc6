/** Errors of the engine's JSON parser, for a person. */
import { LineTable } from './positions.js';

/** In one line, with the line of the text it speaks of where the engine tells. */
export function jsonProblem(text: string, message: string): string {
  const at = /at position (\d+)/.exec(message)?.[1];
  const plain = message.replace(/\s+/g, ' ').replace(/(?: in JSON)? at position .*$/, '');
  return at === undefined ? plain : `line ${new LineTable(text).lineAt(Number(at)) + 1}: ${plain}`;
}
