/** Texts of files as they were at a revision of the version control system. Nothing of it is written to. */
import { execFileSync } from 'node:child_process';
import { realpathSync } from 'node:fs';
import { dirname, relative, sep } from 'node:path';
import { AnvilError } from '../../../syntax/problems.js';
import type { Texts } from './plain.js';

const MOST = 64 * 1024 * 1024;

/**
 * @param file one that has to be there
 * @param revision as `HEAD`, a tag, a branch, a commit
 * @throws AnvilError `E_COMPARE` where there is no git, no such revision, or no such file in it
 */
export function textsAt(file: string, revision: string): Texts {
  const cwd = dirname(file);
  const git = (...args: string[]): string => {
    try {
      return execFileSync('git', args, {
        cwd,
        encoding: 'utf8',
        maxBuffer: MOST,
        stdio: ['ignore', 'pipe', 'pipe'],
        env: { ...process.env, GIT_OPTIONAL_LOCKS: '0' },
      });
    } catch (error) {
      const { code, stderr } = error as { code?: string; stderr?: string };
      const said = code === 'ENOENT' ? 'git is not installed' : (stderr ?? '').trim().split('\n')[0];
      throw new AnvilError('E_COMPARE', `${file} cannot be had as of ${revision}: ${said ?? ''}`);
    }
  };
  const root = realpathSync(git('rev-parse', '--show-toplevel').trim());
  const commit = git('rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`).trim();
  const names = new Set(git('ls-tree', '-r', '-z', '--name-only', '--full-tree', commit).split('\0'));
  const known = new Map<string, string>();
  const nameOf = (path: string): string => relative(root, realpathSync(path)).split(sep).join('/');
  if (!names.has(nameOf(file))) throw new AnvilError('E_COMPARE', `${file} is not in ${revision}`);
  return (path) => {
    const name = nameOf(path);
    if (!names.has(name)) return undefined;
    let text = known.get(name);
    if (text === undefined) known.set(name, (text = git('show', `${commit}:${name}`)));
    return text;
  };
}
