/** What the workbench asks of `node:os`. */
export const tmpdir = (): string => '/tmp';
export const homedir = (): string => '/home';
