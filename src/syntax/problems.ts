/** A syntax error, or another reason a text cannot run, at a place in the original text. */
export interface Problem {
  /** A package that is not there, and could be added. */
  package?: string;
  /** Stable code, listed in `docs/errors.md`. */
  code: string;
  message: string;
  /** What the engine would say, where the program can catch it. */
  thrown?: string;
  /** Offsets into the original text. */
  start: number;
  end: number;
}

/** Whether it is the text itself that cannot be read: as it stands it is no program, or none that can be looked at. */
export function isOfText({ code }: Problem): boolean {
  return code === 'E_SYNTAX' || code === 'E_TOO_DEEP';
}

/** Something said beside a line about code that runs. */
export interface Remark extends Problem {
  /** It stands behind everything else. */
  quiet?: true;
}

/**
 * The family of errors this package throws.
 *
 * `code` is stable and listed in `docs/errors.md`; `message` says what
 * happened, where, and what to do.
 */
export class AnvilError extends Error {
  override readonly name = 'AnvilError';
  constructor(
    readonly code: ErrorCode,
    message: string,
    options?: { cause?: unknown },
  ) {
    super(message, options);
  }
}

export type ErrorCode =
  | 'E_NOT_FOUND'
  | 'E_IS_FOLDER'
  | 'E_UNREADABLE'
  | 'E_BINARY'
  | 'E_TOO_LARGE'
  | 'E_TOO_DEEP'
  | 'E_NOT_A_PAD'
  | 'E_SYNTAX'
  | 'E_OPTION'
  | 'E_EXPRESSION'
  | 'E_NO_STEPS'
  | 'E_FORMAT'
  | 'E_MARK'
  | 'E_RESOLVE'
  | 'E_TRANSLATE'
  | 'E_CLOSED'
  | 'E_TARGET'
  | 'E_HELD'
  | 'E_ENTRY'
  | 'E_COMPARE'
  | 'E_FOLDER'
  | 'E_PORT'
  | 'E_MESSAGE'
  | 'E_CONFLICT'
  | 'E_WRITE'
  | 'E_KEEP'
  | 'E_INTERNAL'
  | 'E_PROJECT'
  | 'E_NO_NPM'
  | 'E_NO_PACKAGE'
  | 'E_OFFLINE'
  | 'E_INTERRUPTED'
  | 'E_INSTALL'
  | 'E_SIZE'
  | 'E_NO_BROWSER'
  | 'E_NO_RESULT'
  | 'E_EXISTS'
  | 'E_TEMPLATE'
  | 'E_CANNOT_TRY';
