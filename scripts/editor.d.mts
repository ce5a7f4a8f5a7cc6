export function isEditorInstalled(): boolean;
/** @throws Error with what the registry or the compiler said */
export function installEditor(): void;
export interface ServedEditor {
  port: number;
  /** The address of the editor on its workspace. */
  url: string;
  end(): void;
}
/** Serves the editor with unpacked extensions in place. */
export function serveEditor(options: {
  workspace: string;
  extensions: readonly string[];
  settings?: Record<string, unknown>;
  env?: Record<string, string>;
}): Promise<ServedEditor>;
