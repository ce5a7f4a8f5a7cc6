/** Names of modules as a project's settings of its tests have them: those that lead elsewhere, styles and pictures. */
import type { FrameworkSettings } from '../wire/runs.js';
import type { Files, Resolution } from './host.js';

const STYLE = /\.(?:css|scss|sass|less|styl|stylus|pcss|sss)(?:\?.*)?$/i;
const ASSET =
  /\.(?:svg|png|jpe?g|jfif|gif|webp|avif|apng|bmp|ico|woff2?|eot|ttf|otf|mp4|webm|ogg|mp3|wav|flac|aac|opus|mov|m4a|vtt|webmanifest|pdf|txt)(?:\?.*)?$/i;

/** Where a name leads by the settings; undefined where they say nothing of it. */
export function mappedResolution(
  settings: FrameworkSettings,
  files: Files,
  specifier: string,
  from: string,
  how: 'import' | 'require',
): Resolution | undefined {
  for (const { pattern, flags, to } of settings.mapped) {
    const match = patternOf(pattern, flags).exec(specifier);
    if (!match) continue;
    for (const one of to) {
      const name =
        settings.assets === 'none' ? filled(one, match) : specifier.replace(match[0], () => filled(one, match));
      const found = asset(settings, files, name, from) ?? files.resolve(name, from, how);
      if (found.kind !== 'missing')
        return found.kind === 'package' ? { ...found, at: found.at ?? name } : mapped(found);
    }
  }
  return asset(settings, files, specifier, from);
}

function mapped(found: Resolution): Resolution {
  return found.kind === 'local' ? { ...found, mapped: true } : found;
}

const patterns = new Map<string, RegExp>();

function patternOf(pattern: string, flags: string): RegExp {
  const key = `${flags}/${pattern}`;
  let made = patterns.get(key);
  if (!made) patterns.set(key, (made = new RegExp(pattern, flags.replace(/[gy]/g, ''))));
  return made;
}

/** `$1` and its like are groups of the match. */
function filled(text: string, match: RegExpExecArray): string {
  return text.replace(/\$(\d{1,2}|&|\$)/g, (whole, group: string) =>
    group === '$' ? '$' : group === '&' ? match[0] : (match[Number(group)] ?? whole),
  );
}

/** What a development server gives for a style or a picture: nothing, names of classes, or an address. */
function asset(settings: FrameworkSettings, files: Files, specifier: string, from: string): Resolution | undefined {
  if (settings.assets !== 'addresses' || !/^(?:\.{0,2}\/|[A-Za-z]:)/.test(specifier)) return undefined;
  const query = /\?(.*)$/.exec(specifier)?.[1];
  const file = files.beside(from, specifier.replace(/\?.*$/, ''));
  if (query === 'raw') return given(`export default ${JSON.stringify(textOr(files, file))}`);
  if (STYLE.test(specifier))
    return given(
      /\.module\.\w+$/.test(file)
        ? 'export default new Proxy(Object.create(null), { get: (_, name) => name })'
        : 'export default ""',
    );
  if (!ASSET.test(specifier) && query !== 'url') return undefined;
  const root = typeof settings.config.root === 'string' ? settings.config.root : '';
  const address = root !== '' && file.startsWith(`${root}/`) ? file.slice(root.length) : `/@fs${file}`;
  return given(`export default ${JSON.stringify(address)}`);
}

function textOr(files: Files, file: string): string {
  try {
    return files.read(file);
  } catch {
    return '';
  }
}

function given(text: string): Resolution {
  return { kind: 'package', at: `data:text/javascript,${encodeURIComponent(text)}` };
}
