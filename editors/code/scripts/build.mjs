// Builds the extension: one script for the editor's host, and the panel's page of the workbench's own components.
import { rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const folder = dirname(dirname(fileURLToPath(import.meta.url)));
const out = join(folder, 'dist');
const workbench = join(folder, '../../src/workbench');
rmSync(out, { recursive: true, force: true });
const common = { bundle: true, outdir: out, minify: true, logLevel: 'warning', absWorkingDir: folder };
await Promise.all([
  build({
    ...common,
    entryPoints: { extension: join(folder, 'src/extension.ts') },
    platform: 'node',
    target: 'node20',
    format: 'cjs',
    external: ['vscode'],
  }),
  build({
    ...common,
    entryPoints: { beside: join(workbench, 'beside.tsx') },
    platform: 'browser',
    target: 'es2022',
    format: 'iife',
    jsx: 'automatic',
    define: { 'process.env.NODE_ENV': '"production"' },
  }),
]);
