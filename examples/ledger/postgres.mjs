/** A PostgreSQL of its own for the demo, on loopback, where the system has one: nothing of it stays. */
import { execFileSync, spawn } from 'node:child_process';
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';

const CHARGES = `create table charges (barge text, lock text, pence integer);
insert into charges values ('Heron', 'Alder', 850), ('Otter', 'Alder', 1050), ('Kestrel', 'Dun', 2170), ('Teal', 'Cress', 1720);
`;
const PATIENCE_MS = 20_000;

/** Starts it. Gives `{ url, close }`, or `{ why }` where it cannot be. */
export async function startPostgres() {
  const bin = foldersOfTools().find((folder) => ['initdb', 'postgres', 'psql'].every((name) => existsSync(join(folder, name))));
  if (bin === undefined) return { why: 'PostgreSQL is not installed here' };
  const folder = mkdtempSync(join(tmpdir(), 'wenlow-ledger-'));
  // It refuses to run as the system's administrator.
  const user = process.getuid?.() === 0 ? otherUser() : undefined;
  if (process.getuid?.() === 0 && user === undefined) return { why: 'PostgreSQL does not run as root, and there is no user postgres' };
  if (user) chownSync(folder, user.uid, user.gid);
  const as = user ? { uid: user.uid, gid: user.gid } : {};
  const end = () => rmSync(folder, { recursive: true, force: true });
  try {
    const data = join(folder, 'data');
    execFileSync(join(bin, 'initdb'), ['-D', data, '-A', 'trust', '-U', 'wenlow', '-E', 'UTF8', '--no-sync'], { ...as, cwd: folder, stdio: 'pipe' });
    const port = await freePort();
    const server = spawn(join(bin, 'postgres'), ['-D', data, '-p', String(port), '-h', '127.0.0.1', '-k', folder, '-F'], {
      ...as,
      cwd: folder,
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    const close = () => {
      server.kill('SIGINT');
      server.once('exit', end);
    };
    await new Promise((resolve, reject) => {
      let said = '';
      const late = setTimeout(() => reject(new Error('it does not begin')), PATIENCE_MS);
      server.stderr.on('data', (chunk) => {
        said += chunk;
        if (!said.includes('ready to accept connections')) return;
        clearTimeout(late);
        resolve();
      });
      server.once('exit', () => reject(new Error(said.trim().split('\n').at(-1))));
    });
    server.removeAllListeners('exit');
    server.once('exit', end);
    const url = `postgres://wenlow@127.0.0.1:${port}/postgres`;
    execFileSync(join(bin, 'psql'), ['-q', '-v', 'ON_ERROR_STOP=1', url], { input: CHARGES, stdio: ['pipe', 'pipe', 'pipe'] });
    return { url, close };
  } catch (error) {
    end();
    return { why: `PostgreSQL does not begin: ${error.message}` };
  }
}

function foldersOfTools() {
  const system = '/usr/lib/postgresql';
  const versions = existsSync(system) ? readdirSync(system).sort((a, b) => Number(b) - Number(a)) : [];
  return [...versions.map((version) => join(system, version, 'bin')), ...(process.env.PATH ?? '').split(delimiter)];
}

/** The system's own user for it. */
function otherUser() {
  try {
    const [uid, gid] = ['-u', '-g'].map((flag) => Number(execFileSync('id', [flag, 'postgres'], { encoding: 'utf8', stdio: 'pipe' })));
    return { uid, gid };
  } catch {
    return undefined;
  }
}

function freePort() {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
}
