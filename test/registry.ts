/** A registry of packages for tests. */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { folder } from './harness.js';

/** Packages of the registry: one that is plain, and one that wants to run something when it is installed. */
const PACKAGES: Record<string, { version: string; scripts?: Record<string, string>; files: Record<string, string> }> = {
  'wenlow-tides': {
    version: '1.2.3',
    files: {
      'index.js': `exports.high = () => 'high water';\nexports.low = () => 'low water, and much more text than the other one has';\n`,
    },
  },
  '@types/wenlow-tides': {
    version: '1.0.0',
    files: { 'index.d.ts': 'export function high(): string;\nexport function low(): number;\n' },
  },
  'wenlow-pump': {
    version: '2.0.0',
    scripts: { postinstall: 'node make.js' },
    files: {
      'index.js': `exports.made = require('node:fs').existsSync(__dirname + '/made');\n`,
      'make.js': `require('node:fs').writeFileSync('made', '');\n`,
    },
  },
};

/** A registry, as npm asks for it. */
export async function registry(): Promise<{ server: Server; url: string }> {
  const archives = new Map(
    Object.entries(PACKAGES).map(([name, { version, scripts, files }]) => {
      const manifest = { name, version, main: 'index.js', type: 'commonjs', ...(scripts ? { scripts } : {}) };
      const inside = Object.entries(files).map(([file, text]) => [`package/${file}`, text]);
      const dir = folder({ 'package/package.json': JSON.stringify(manifest), ...Object.fromEntries(inside) });
      spawnSync('tar', ['czf', 'package.tgz', 'package'], { cwd: dir });
      return [name, { manifest, bytes: readFileSync(join(dir, 'package.tgz')) }] as const;
    }),
  );
  const server = createServer((request, response) => {
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const [, name = '', part] = decodeURIComponent(request.url ?? '').split(/(?<!@[\w-]+)\//);
    const found = archives.get(name);
    if (found && part === undefined) {
      const { manifest, bytes } = found;
      const dist = {
        tarball: `${base}/${name}/package.tgz`,
        integrity: `sha512-${createHash('sha512').update(bytes).digest('base64')}`,
        shasum: createHash('sha1').update(bytes).digest('hex'),
      };
      const scripted = 'scripts' in manifest ? { hasInstallScript: true } : {};
      response.setHeader('content-type', 'application/json');
      response.end(
        JSON.stringify({
          name,
          'dist-tags': { latest: manifest.version },
          description: 'High and low water',
          versions: Object.fromEntries(
            ['0.9.0', '1.0.0', '1.1.0-rc.1', manifest.version]
              .filter((version, at, all) => all.indexOf(version) === at)
              .map((version) => [version, { ...manifest, version, ...scripted, dist }]),
          ),
        }),
      );
    } else if (found) response.end(found.bytes);
    else if (request.url === '/wenlow-slow') return;
    else {
      response.statusCode = 404;
      response.end('{}');
    }
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/` };
}
