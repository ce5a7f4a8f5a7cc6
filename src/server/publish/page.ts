/** The page around a published pad: one file, or a folder for any static server. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { PublishedPad } from './collect.js';

const BUILT = fileURLToPath(new URL('../../published', import.meta.url));

const read = (name: string): string => readFileSync(`${BUILT}/${name}`, 'utf8');

/** The script of the frame in which pads run. */
const frameScript = (): string => inScript(read('frame.js').trim());

const hashOf = (script: string): string => `'sha256-${createHash('sha256').update(script, 'utf8').digest('base64')}'`;

/** Text in a script element that is none: nothing in it ends the element, or begins a comment. */
function carried(id: string, value: unknown): string {
  const text = JSON.stringify(value)
    .replace(/</g, '\\u003c')
    .replace(/\u2028/g, '\\u2028')
    .replace(/\u2029/g, '\\u2029');
  return `<script type="application/json" id="${id}">${text}</script>`;
}

/** The same for a script that runs. */
function inScript(code: string): string {
  return code.replace(/<(?=\/script|!--)/gi, '\\x3c');
}

/**
 * What such a page may do: run its own script and the pad's code in workers of its own, and reach what is allowed by
 * name; nothing else.
 */
function policy(scripts: string, allowed: readonly string[]): string {
  const connect = allowed.length > 0 ? allowed.join(' ') : "'none'";
  return (
    `default-src 'none'; script-src ${scripts} ${hashOf(frameScript())} 'unsafe-eval'; worker-src blob:; style-src 'self' 'unsafe-inline'; ` +
    `img-src data: blob:; connect-src ${connect}; base-uri 'none'; form-action 'none'`
  );
}

function html(title: string, csp: string, head: string, body: string): string {
  const words = title.replace(/[&<>"]/g, (one) => `&#${one.charCodeAt(0)};`);
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="${csp}">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="referrer" content="no-referrer">
<title>${words}</title>
<link rel="icon" href="data:,">
${head}
</head>
<body>
<div id="root"></div>
${body}
</body>
</html>
`;
}

export interface PageOptions {
  title: string;
  /** Origins that the pad may reach, as `https://wenlow.example`. */
  allowed: readonly string[];
}

/** One file that needs nothing else. */
export function publishedFile(pad: PublishedPad, { title, allowed }: PageOptions): string {
  const code = inScript(read('page.js'));
  return html(
    title,
    policy(hashOf(code), allowed),
    `<style>${read('page.css')}</style>`,
    [
      carried('usher-anvil-published', pad),
      carried('usher-anvil-thread', read('thread.js')),
      carried('usher-anvil-frame', frameScript()),
      carried('usher-anvil-compiler', read('compiler.js')),
      carried('usher-anvil-tables', read('tables.js')),
      carried('usher-anvil-pages', read('page-texts.js')),
      carried('usher-anvil-plots', read('plots.js')),
      `<script type="module">${code}</script>`,
    ].join('\n'),
  );
}

/** Files of a folder, by name: pages of one folder share what they have in common. */
export function publishedFolder(
  pages: readonly { name: string; pad: PublishedPad; options: PageOptions }[],
): Record<string, string> {
  const files: Record<string, string> = Object.fromEntries(
    ['page.js', 'page.css', 'compiler.js', 'whole-compiler.js', 'plots.js'].map((name) => [name, read(name)]),
  );
  files['pages.js'] = read('page-texts.js');
  // A worker is given it as text.
  files['tables.js'] = `usherAnvilTables = ${JSON.stringify(read('tables.js'))};\n`;
  for (const { name, pad, options } of pages)
    files[name] = html(
      options.title,
      policy("'self'", options.allowed),
      '<link rel="stylesheet" href="page.css">',
      [
        carried('usher-anvil-published', pad),
        carried('usher-anvil-thread', read('thread.js')),
        carried('usher-anvil-frame', frameScript()),
        '<script type="module" src="page.js"></script>',
      ].join('\n'),
    );
  return files;
}
