/** What the language service knows of a place: names, the type there with its documentation, the call around it. */
import type ts from 'typescript';
import type { AssistAnswer, AssistQuestion } from './types.js';

/** Names that are told; more are found by typing on. */
const MOST_NAMES = 400;

export function assist(service: ts.LanguageService, question: AssistQuestion): AssistAnswer {
  const { file, offset } = question;
  if (question.what === 'names') return { what: 'names', ...names(service, file, offset) };
  if (question.what === 'detail') {
    const found = service.getCompletionEntryDetails(
      file,
      offset,
      question.name,
      undefined,
      undefined,
      undefined,
      undefined,
    );
    return {
      what: 'about',
      type: plain(found?.displayParts),
      text: found ? documentation(found.documentation, found.tags) : '',
    };
  }
  if (question.what === 'about') {
    const found = service.getQuickInfoAtPosition(file, offset);
    return {
      what: 'about',
      type: plain(found?.displayParts),
      text: found ? documentation(found.documentation, found.tags) : '',
    };
  }
  return signature(service, file, offset);
}

function names(
  service: ts.LanguageService,
  file: string,
  offset: number,
): { names: { name: string; kind: string; sort: string }[]; isMember: boolean } {
  const found = service.getCompletionsAtPosition(file, offset, {
    includeCompletionsForModuleExports: false,
    includeCompletionsWithInsertText: false,
  });
  return {
    isMember: found?.isMemberCompletion ?? false,
    names: (found?.entries ?? [])
      .filter(({ kind }) => kind !== 'warning')
      .slice(0, MOST_NAMES)
      .map(({ name, kind, sortText }) => ({ name, kind, sort: sortText })),
  };
}

function signature(service: ts.LanguageService, file: string, offset: number): AssistAnswer {
  const found = service.getSignatureHelpItems(file, offset, undefined);
  const item = found?.items[found.selectedItemIndex];
  if (!found || !item) return { what: 'signature', parts: [], active: -1, text: '' };
  const parts: string[] = [plain(item.prefixDisplayParts)];
  item.parameters.forEach((parameter, index) => {
    if (index > 0) parts.push(plain(item.separatorDisplayParts));
    parts.push(plain(parameter.displayParts));
  });
  parts.push(plain(item.suffixDisplayParts));
  const at = Math.min(found.argumentIndex, item.parameters.length - 1);
  const about = item.parameters[at];
  return {
    what: 'signature',
    parts,
    // Each parameter is followed by its separator.
    active: at < 0 ? -1 : 1 + at * 2,
    text: plain(about?.documentation) || documentation(item.documentation, item.tags),
  };
}

function plain(parts: readonly ts.SymbolDisplayPart[] | undefined): string {
  return (parts ?? []).map((part) => part.text).join('');
}

/** Sentences first, then what a person tries: examples. */
function documentation(
  text: readonly ts.SymbolDisplayPart[] | undefined,
  tags: readonly ts.JSDocTagInfo[] = [],
): string {
  const examples = tags
    .filter(({ name }) => name === 'example')
    .map(({ text: parts }) => plain(parts).replace(/^```\w*\n|\n```$/g, ''));
  return [plain(text).replace(/\{@link(?:code|plain)? ([^}|]+)[^}]*\}/g, '$1'), ...examples]
    .filter(Boolean)
    .join('\n\n')
    .slice(0, 4_000);
}
