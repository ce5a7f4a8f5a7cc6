/** `usher-anvil/record`: the record's shape and the questions asked of it. */
export { RECORD_FORMAT, valueAt } from './record.js';
export { RecordBuilder } from './builder.js';
export { fileOfSite } from './frames.js';
export type {
  ConsoleEntry,
  Frame,
  GateOutcome,
  Outcome,
  PadRecord,
  RecordError,
  Samples,
  Shown,
  Stop,
  TestResult,
} from './record.js';
export type { Program, ProgramFile } from './program.js';
export { chainsAt } from './chains.js';
export { consoleAt, consoleOfLine, errorsAt, testsOfLine } from './questions.js';
export { countAt, countsAt } from './counts.js';
export { historiesAt, historiesByLine, historyOf, historyUnder, samplesAt, visitAt, visitBeside } from './histories.js';
export { lineOfSite } from './site-index.js';
export { lineStates } from './lines.js';
export type { Chain } from './chains.js';
export type { History } from './histories.js';
export type { LineReport, LineState } from './lines.js';
export type { Sample } from './site-index.js';
export { type Move, type Step, type Walk, WALK_FORMAT, walk, type WalkFrame } from './walk/walk.js';
export type { Source } from './walk/sources.js';
export { evaluate, isTruthy } from './walk/evaluate.js';
export { errorAt, pixelOf, startOf, visitOf } from './walk/start.js';
export type { Variable } from './walk/variables.js';
export { CallTree, type Called } from './walk/call-tree.js';
export { type WalkedLine, type WalkedPiece, walkedPieces } from './walk/pieces.js';
export { Walker } from './walk/walker.js';
export { walkToJson } from './walk/json.js';
export { walkJsonSchema, walkSchema, type WalkJson } from './walk/schema.js';
export { toJson } from './json.js';
export { recordJsonSchema, recordSchema, type RecordJson } from './schema.js';
export type { Batch } from '../wire/reports.js';
export type { Entry, Value } from '../wire/value.js';
export { valueText } from '../runtime/text.js';
