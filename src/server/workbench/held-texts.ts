/** Texts that an editor holds: they come as a whole, are saved by the editor, and nothing of them is kept here. */
import { existsSync } from 'node:fs';
import { readText } from '../../hosts/node/files.js';
import { execute } from './running.js';
import type { Workbench } from './state.js';
import { takeText } from './texts.js';
import { tellRuns } from './telling.js';

export class HeldTexts {
  constructor(private readonly workbench: Workbench) {}

  /**
   * A text is open in the editor, or has changed there. The pad that it is part of executes where it does so at edits.
   *
   * @returns true where it does: what it gives is of this text
   */
  hold(path: string, text: string): boolean {
    const { workbench } = this;
    const { subject, pad, documents, sources } = workbench;
    const { document, isNew, changed } = documents.hold(path, text);
    if (isNew) sources.add([path]);
    if (!changed || !subject || !pad) return false;
    // What is only opened is no reason to run; what is not part of the pad may become so.
    if (!subject.files.includes(path)) pad.overlay(path, document.shared.text);
    else if (subject.textOf(path) !== document.shared.text) {
      // Not while a person types: a record with the new values comes soon.
      for (const viewer of workbench.viewers) clearTimeout(viewer.rest);
      takeText(workbench, document);
      return workbench.when === 'edit';
    }
    return false;
  }

  /** The editor has saved a text. */
  saved(path: string): void {
    const { workbench } = this;
    const { pad, when, subject } = workbench;
    if (!pad || !subject?.files.includes(path)) return;
    if (pad.behind) {
      if (when === 'save') execute(workbench);
    } else pad.afterSave();
    tellRuns(workbench);
  }

  /** A text is not open any more: the one on disk counts. */
  release(path: string): void {
    const { workbench } = this;
    const { documents, subject, pad } = workbench;
    const held = documents.get(path)?.shared.text;
    documents.forget(path);
    if (!subject || !pad || held === undefined || !existsSync(path)) return;
    const disk = readText(path).replace(/\r\n?/g, '\n');
    pad.overlay(path, undefined);
    if (disk !== held && subject.files.includes(path) && workbench.when !== 'command') execute(workbench);
  }
}
