import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Documents } from '#dist/server/workbench/documents.js';
import { Journal } from '#dist/server/workbench/journal.js';
import { waitFor, viewerOf } from '#dist/server/workbench/viewer.js';
import type { PadRecord } from '#dist/record/record.js';
import { folder } from '../../../test/harness.js';

function opened(text = 'let level = 4;\n') {
  const dir = folder({ 'lock.ts': text });
  const path = join(dir, 'lock.ts');
  const journal = new Journal(join(dir, 'state'));
  const documents = new Documents(journal, journal);
  return { path, journal, documents, document: documents.read(path).document };
}

test('unsaved text comes back, and says so', () => {
  const { path, journal, documents, document } = opened();
  document.shared.replace('let level = 5;\n');
  documents.keep(document);
  expect(new Documents(journal, journal).read(path).document).toMatchObject({
    shared: { text: 'let level = 5;\n' },
    unsaved: true,
    restored: true,
    other: undefined,
  });
});

test('a save is on disk, and nothing of it is kept', () => {
  const { path, journal, documents, document } = opened();
  document.shared.replace('let level = 5;\n');
  document.unsaved = true;
  documents.keep(document);
  documents.save(document, 'lock.ts');
  expect(readFileSync(path, 'utf8')).toBe('let level = 5;\n');
  expect(journal.recall(path)).toBeUndefined();
  expect(document.unsaved).toBe(false);
});

test('a save that fails says so, and keeps the text', () => {
  const { documents, document } = opened();
  document.path = join(document.path, 'no-folder.ts');
  document.shared.replace('let level = 5;\n');
  document.unsaved = true;
  expect(() => documents.save(document, 'lock.ts')).toThrow(/lock.ts was not saved.*Its text is kept/);
  expect(document.unsaved).toBe(true);
});

describe('a change on disk', () => {
  test('is taken where nothing is unsaved', () => {
    const { path, documents, document } = opened();
    writeFileSync(path, 'let level = 6;\n');
    expect(documents.changedOnDisk(document)).toMatchObject({ is: 'taken' });
    expect(document).toMatchObject({ shared: { text: 'let level = 6;\n', version: 1 }, other: undefined });
  });

  test('is a conflict under unsaved edits, until one text counts', () => {
    const { path, documents, document } = opened();
    document.shared.replace('let level = 5;\n');
    document.unsaved = true;
    writeFileSync(path, 'let level = 6;\n');
    expect(documents.changedOnDisk(document)).toEqual({ is: 'state' });
    expect(document).toMatchObject({ shared: { text: 'let level = 5;\n' }, other: 'let level = 6;\n' });
    documents.settleMine(document);
    expect(document.other).toBeUndefined();
  });

  test('to the text that is known is none', () => {
    const { path, documents, document } = opened();
    writeFileSync(path, document.shared.text);
    expect(documents.changedOnDisk(document)).toEqual({ is: 'nothing' });
  });
});

describe('pacing', () => {
  const record = (lines: number, ended: boolean): PadRecord =>
    ({ console: Array.from({ length: lines }), errors: [], ended }) as unknown as PadRecord;

  test('a record that has ended, or is light, goes at once', () => {
    const viewer = { ...viewerOf({ send: () => undefined }), sentAt: 1_000 };
    expect(waitFor(viewer, record(5, false), false, 1_001)).toBe(0);
    expect(waitFor(viewer, record(5_000, true), false, 1_001)).toBe(0);
  });

  test('one of a chatty run, or of a program that runs on, waits for its time', () => {
    const viewer = { ...viewerOf({ send: () => undefined }), sentAt: 1_000 };
    expect(waitFor(viewer, record(5_000, false), false, 1_050)).toBe(200);
    expect(waitFor(viewer, record(1, false), true, 1_050)).toBe(100);
    expect(waitFor(viewer, record(1, false), true, 2_000)).toBe(0);
  });
});
