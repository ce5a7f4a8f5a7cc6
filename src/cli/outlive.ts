/** A command that holds a person's text or program does not end for an error that nobody thought of. */

/** Errors that are reported one by one; of more, one in a hundred is. */
const MOST_REPORTED = 20;

/**
 * From now on such errors are handed over and not the end of this process.
 *
 * @param take reports the error, and tells whoever looks
 */
export function outlive(take: (error: unknown) => void): void {
  let count = 0;
  const report = (error: unknown): void => {
    count++;
    // Nobody reads what is printed any more: that is no trouble of ours.
    if ((error as { code?: string } | undefined)?.code === 'EPIPE') return;
    if (count <= MOST_REPORTED || count % 100 === 0) take(error);
  };
  process.on('uncaughtException', report);
  process.on('unhandledRejection', report);
}
