/** Entry of a script of its own: comma-separated values, for the worker of a pad that reads such data. */
import { parse } from 'csv-parse/browser/esm/sync';

(globalThis as { usherAnvilTables?: typeof parse }).usherAnvilTables = parse;
