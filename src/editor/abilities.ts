/** What the client can do, as it has told. */
import type { InitializeParams, MarkupKind } from 'vscode-languageserver';
import { clientOptions, type ClientOptions } from './extras.js';

export interface Abilities {
  /** It draws values beside the code itself. */
  lane: boolean;
  lenses: boolean;
  /** It walks through runs. */
  walks: boolean;
  patch: 'save' | 'edit';
  hover: MarkupKind;
  /** Edits of actions may be made when an action is taken. */
  resolvesEdits: boolean;
  progress: boolean;
  /** It tells of folders that are added and taken away, and of settings. */
  tells: { folders: boolean; settings: boolean };
  refresh: { hints: boolean; tokens: boolean; lenses: boolean };
}

export function firstAbilities(): Abilities {
  return {
    lane: false,
    lenses: true,
    walks: false,
    patch: 'save',
    hover: 'plaintext',
    resolvesEdits: false,
    progress: false,
    tells: { folders: false, settings: false },
    refresh: { hints: false, tokens: false, lenses: false },
  };
}

/** Reads what a client tells when it begins. */
export function readAbilities(abilities: Abilities, { capabilities, initializationOptions }: InitializeParams): void {
  const { textDocument, workspace, window } = capabilities;
  choose(abilities, initializationOptions);
  const { lane } = abilities;
  abilities.hover = textDocument?.hover?.contentFormat?.includes('markdown') ? 'markdown' : 'plaintext';
  abilities.resolvesEdits = textDocument?.codeAction?.resolveSupport?.properties.includes('edit') === true;
  abilities.progress = window?.workDoneProgress === true;
  abilities.tells = {
    folders: workspace?.workspaceFolders === true,
    settings: workspace?.didChangeConfiguration?.dynamicRegistration === true,
  };
  abilities.refresh = {
    hints: !lane && workspace?.inlayHint?.refreshSupport === true,
    tokens: !lane && workspace?.semanticTokens?.refreshSupport === true,
    lenses: workspace?.codeLens?.refreshSupport === true,
  };
}

/** Takes what a person has chosen; what is no option of ours is passed over. */
export function choose(abilities: Abilities, given: unknown): void {
  const read = clientOptions.safeParse(given ?? {});
  const { lane, lenses, patch, walks }: ClientOptions = read.success ? read.data : {};
  if (lane !== undefined) abilities.lane = lane;
  if (walks !== undefined) abilities.walks = walks;
  if (lenses !== undefined) abilities.lenses = lenses;
  if (patch !== undefined) abilities.patch = patch;
}
