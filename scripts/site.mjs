// `npm run site`: the demo's pads as a site for any static server, each alive, working offline. `npm run site -- <folder>` says where.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const folder = resolve(process.argv[2] ?? join(root, 'site'));

/** Examples that need nothing but a page. */
const examples = readdirSync(join(root, 'examples'))
  .map((name) => ({ name, file: join(root, 'examples', name, 'example.json') }))
  .filter(({ file }) => existsSync(file))
  .map(({ name, file }) => ({ name, ...JSON.parse(readFileSync(file, 'utf8')) }))
  .filter(({ name }) => ['tolls', 'soundings', 'gauge', 'chamber'].includes(name))
  .sort((a, b) => a.place - b.place);

const pads = examples.map(({ name, pad }) => join(root, 'examples', name, pad));
const made = spawnSync(
  process.execPath,
  [join(root, 'dist/bin/main.js'), 'publish', ...pads, '--folder', folder, '--runs'],
  { stdio: 'inherit' },
);
if (made.status !== 0) process.exit(made.status ?? 1);

const entry = ({ name, title, sentence, pad }) => {
  const picture = readFileSync(join(root, 'examples', name, 'example.svg')).toString('base64');
  const page = pad.replace(/\.\w+$/, '.html');
  return `<li><a href="${page}"><img src="data:image/svg+xml;base64,${picture}" alt="" width="86" height="56"><strong>${title}</strong><span>${sentence}</span></a></li>`;
};
mkdirSync(folder, { recursive: true });
writeFileSync(
  join(folder, 'index.html'),
  `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; img-src data:">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>The Wenlow Canal, in pads</title>
<link rel="icon" href="data:,">
<style>
body { font: 16px/1.5 system-ui, sans-serif; color: #23211d; background: #f6f4ef; max-width: 56rem; margin: 3rem auto; padding: 0 1.5rem }
ul { list-style: none; padding: 0; display: grid; gap: 12px }
a { display: grid; grid-template-columns: 86px 1fr; gap: 0 16px; padding: 12px; color: inherit; text-decoration: none; background: #fffdf8; border: 1px solid #dcd6c8; border-radius: 8px }
a:hover, a:focus { border-color: #1f5e86 }
img { grid-row: 1 / 3 }
span { color: #5d584e }
</style>
</head>
<body>
<h1>The Wenlow Canal, in pads</h1>
<p>Each of these is a pad that runs in its page: change a number, and watch the other lines.</p>
<ul>
${examples.map(entry).join('\n')}
</ul>
</body>
</html>
`,
);
console.log(`${folder}  ${examples.length} pads, and a page that lists them`);
