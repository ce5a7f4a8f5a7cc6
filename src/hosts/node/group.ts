/** Ending a process with all that it has started. */

/**
 * Ends the group that a process leads, or led: what is in it ends also where the process itself has ended.
 *
 * @returns false where there is no such group
 */
export function killGroup(pid: number): boolean {
  // 0 and 1 stand for other groups than that of a process.
  if (process.platform === 'win32' || pid < 2) return false;
  try {
    return process.kill(-pid, 'SIGKILL');
  } catch {
    return false;
  }
}
