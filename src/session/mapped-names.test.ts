import type { Files, Resolution } from '#dist/session/host.js';
import { mappedResolution } from '#dist/session/mapped-names.js';
import type { FrameworkSettings } from '#dist/wire/runs.js';

/** Files that are there, by path. */
function files(there: Record<string, string>): Files {
  const beside = (from: string, name: string): string =>
    name.startsWith('/') ? name : new URL(name, `file://${from}`).pathname;
  return {
    beside,
    read: (file: string) => {
      if (there[file] === undefined) throw new Error('not there');
      return there[file];
    },
    resolve(specifier: string, from: string): Resolution {
      if (!/^[./]/.test(specifier))
        return specifier in there ? { kind: 'package' } : { kind: 'missing', message: 'none' };
      const path = beside(from, specifier);
      const found = [path, `${path}.ts`].find((one) => one in there);
      return found === undefined ? { kind: 'missing', message: 'none' } : { kind: 'local', file: found };
    },
  } as unknown as Files;
}

const THERE = files({
  '/canal/src/toll.ts': '',
  '/canal/src/style.js': '',
  '/canal/notes/open.txt': 'open\n',
  'wenlow-names': '',
});
const settings = (more: Partial<FrameworkSettings>): FrameworkSettings => ({
  ...{ setup: [], mapped: [], config: { root: '/canal' }, globals: {}, env: {} },
  ...more,
});
const lead = (asked: FrameworkSettings, specifier: string): Resolution | undefined =>
  mappedResolution(asked, THERE, specifier, '/canal/src/a.test.ts', 'import');

describe('names that settings map', () => {
  const whole = settings({
    assets: 'none',
    mapped: [
      { pattern: '\\.css$', flags: '', to: ['/canal/src/style.js'] },
      { pattern: '^~/(.*)$', flags: '', to: ['/canal/none/$1', '/canal/src/$1'] },
      { pattern: '^names$', flags: '', to: ['wenlow-names'] },
    ],
  });
  test.each<[string, Resolution | undefined]>([
    ['./board.css', { kind: 'local', file: '/canal/src/style.js', mapped: true }],
    // The first of several that is there.
    ['~/toll', { kind: 'local', file: '/canal/src/toll.ts', mapped: true }],
    ['names', { kind: 'package', at: 'wenlow-names' }],
    ['~/nowhere', undefined],
    ['./toll', undefined],
  ])('a pattern stands for the whole name: %s', (specifier, wanted) => {
    expect(lead(whole, specifier)).toEqual(wanted);
  });

  const part = settings({
    assets: 'addresses',
    mapped: [{ pattern: '^@(?=/|$)', flags: '', to: ['/canal/src'] }],
  });
  test.each<[string, Resolution | undefined]>([
    ['@/toll', { kind: 'local', file: '/canal/src/toll.ts', mapped: true }],
    ['@canal/toll', undefined],
    ['./toll', undefined],
  ])('or for its beginning: %s', (specifier, wanted) => {
    expect(lead(part, specifier)).toEqual(wanted);
  });

  test.each<[string, string]>([
    ['./board.css', 'export default ""'],
    ['./board.module.scss', 'export default new Proxy(Object.create(null), { get: (_, name) => name })'],
    ['./board.png', 'export default "/src/board.png"'],
    ['@/board.svg', 'export default "/src/board.svg"'],
    ['../notes/open.txt?raw', 'export default "open\\n"'],
    ['./toll.ts?url', 'export default "/src/toll.ts"'],
    ['/elsewhere/board.webp', 'export default "/@fs/elsewhere/board.webp"'],
  ])('styles and pictures give what a development server gives: %s', (specifier, text) => {
    const found = lead(part, specifier) as { kind: string; at: string };
    expect(found.kind).toBe('package');
    expect(decodeURIComponent(found.at)).toBe(`data:text/javascript,${text}`);
  });
});
