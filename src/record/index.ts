/** `usher-anvil/record`: the record's shape and the questions asked of it. */
export * from './record.js';
export * from './program.js';
export * from './questions.js';
export { toJson } from './json.js';
export { recordJsonSchema, recordSchema, type RecordJson } from './schema.js';
export type { Batch } from '../wire/reports.js';
export type { Entry, Value } from '../wire/value.js';
export { valueText } from '../runtime/text.js';
