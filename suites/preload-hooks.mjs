// The same for ES modules, in the loader's thread.
import { fileURLToPath } from 'node:url';
import { instrument } from '../dist/hosts/node/instrument.js';

export async function load(url, context, next) {
  const loaded = await next(url, context);
  if (
    loaded.format !== 'module' ||
    !url.startsWith('file:') ||
    url.includes('/node_modules/') ||
    !url.includes(process.env.ANVIL_SUITE)
  )
    return loaded;
  const { code, problems } = instrument(String(loaded.source), {
    file: fileURLToPath(url).replace(/\.js$/, '.mjs'),
    depth: process.env.ANVIL_DEPTH,
    form: 'module',
  });
  return problems.length > 0 ? loaded : { ...loaded, source: code };
}
