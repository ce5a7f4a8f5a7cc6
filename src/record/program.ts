/** What a record knows of the program that ran: its files, their sites, and where positions are. */
import type { Site } from '../instrument/sites.js';
import type { LineTable } from '../syntax/positions.js';

export interface ProgramFile {
  file: string;
  unit: number;
  /** First program-wide site number. */
  base: number;
  sites: readonly Site[];
  lines: LineTable;
  /** Ranges of comments and types: lines that hold nothing else do not run. */
  quiet: readonly { start: number; end: number }[];
  /** Marks that ask for nothing possible, with the reason; quietly, what runs only in a pad. */
  notes: readonly { code?: string; start: number; end: number; message: string; quiet?: true }[];
}

export interface Program {
  /** The pad. */
  entry: string;
  files: readonly ProgramFile[];
}
