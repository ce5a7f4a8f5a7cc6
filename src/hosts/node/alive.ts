/** Whether a process of a number is there, also one of somebody else. */
export function isAlive(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
