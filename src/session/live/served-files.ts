/** Every version of a file that a guest may have loaded. */
import { compile } from '../../instrument/compile.js';
import type { Compiled, Translator } from '../../instrument/translator.js';
import type { Outline } from '../../syntax/outline.js';
import type { Served } from './events.js';

/** Versions of a file that are kept as they were served. */
const SERVED_WHOLE = 10;

interface Version {
  outline: Outline;
  code: Map<string, Compiled>;
}

export class ServedFiles {
  private readonly versions = new Map<string, Version[]>();

  constructor(private readonly translator: Translator) {}

  get files(): Iterable<string> {
    return this.versions.keys();
  }

  /**
   * Code of a version of a file, for a guest that loads its modules by itself.
   *
   * @param runner a module runner executes it; the global symbol of the runtime there
   */
  serve(file: string, outline: Outline, runner?: string): Served {
    const list = this.versions.get(file) ?? [];
    this.versions.set(file, list);
    let version = list.findIndex((one) => one.outline.parsed.text === outline.parsed.text);
    if (version < 0) version = list.push({ outline, code: new Map() }) - 1;
    const served = list[version]!;
    const form = formOf(served.outline);
    const key = runner ?? form;
    let compiled = served.code.get(key);
    if (!compiled) {
      const { translator } = this;
      const place = runner === undefined ? undefined : { symbol: runner };
      compiled = compile(served.outline, { depth: 'off', form, patchable: true, version, translator, runner: place });
      served.code.set(key, compiled);
    }
    // Of texts that lie far back only what is compared is kept.
    list[list.length - SERVED_WHOLE - 1]?.code.clear();
    return { code: compiled.code, format: form === 'module' ? 'module' : 'commonjs', version, compiled };
  }

  /** A version that was served; its code may be forgotten. */
  find(
    file: string,
    version: number,
    runner?: string,
  ): { outline: Outline; compiled: Compiled | undefined } | undefined {
    const served = this.versions.get(file)?.[version];
    return served && { outline: served.outline, compiled: served.code.get(runner ?? formOf(served.outline)) };
  }
}

function formOf(outline: Outline): 'module' | 'script' {
  return outline.parsed.goal === 'module' ? 'module' : 'script';
}
