/** Documents of a record, made where a home folder, an environment and a browser are. */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { toJson } from '../record/json.js';
import type { PadRecord } from '../record/record.js';
import { AnvilError } from '../syntax/problems.js';
import { scrubbed, scrubber } from '../views/scrub.js';
import { htmlOf } from '../views/share/html.js';
import { markdownOf } from '../views/share/markdown.js';
import { partOf } from '../views/share/sheet.js';
import { svgOf } from '../views/share/svg.js';

export const FORMATS = ['html', 'md', 'svg', 'png', 'json'] as const;
export type ShareFormat = (typeof FORMATS)[number];

export function isShareFormat(format: string): format is ShareFormat {
  return (FORMATS as readonly string[]).includes(format);
}

/** Names of variables whose values stay here. */
const SECRET = /token|secret|passw|credential|api_?key|private|auth/i;

/**
 * A record as a document that stands alone: paths are relative to `cwd`, the
 * home folder and secrets of the environment are taken out.
 *
 * @throws AnvilError `E_NO_BROWSER` for a PNG where no Chromium is found
 */
export async function documentOf(
  record: PadRecord,
  format: ShareFormat,
  options: { name: string; cwd: string; until?: number; lines?: { from: number; to: number } },
): Promise<string | Buffer> {
  const secrets = Object.entries(process.env).flatMap(([name, value]) => (SECRET.test(name) && value ? [value] : []));
  const clean = scrubber({ cwd: options.cwd, home: homedir(), secrets });
  const { lines } = record.program.files.find((one) => one.file === record.file)!;
  const share = {
    name: clean(options.name),
    clean,
    ...(options.until === undefined ? {} : { until: options.until }),
    ...(options.lines ? { lines: options.lines } : {}),
  };
  if (options.lines) record = partOf(record, options.lines);
  switch (format) {
    case 'html':
      return htmlOf(record, lines, share);
    case 'md':
      return markdownOf(record, lines, share);
    case 'svg':
      return svgOf(record, lines, share);
    case 'json':
      return `${JSON.stringify(scrubbed(toJson(record), clean), null, 2)}\n`;
    default:
      return pngOf(htmlOf(record, lines, share), Math.min(6_000, 200 + lines.lineCount * 22 + 600));
  }
}

function browser(): string {
  const names = [process.env.CHROMIUM, 'chromium', 'chromium-browser'].filter(
    (name): name is string => name !== undefined && name !== '',
  );
  for (const name of names) {
    if (name.includes('/') && existsSync(name)) return name;
    for (const folder of (process.env.PATH ?? '').split(delimiter))
      if (!name.includes('/') && existsSync(join(folder, name))) return join(folder, name);
  }
  throw new AnvilError(
    'E_NO_BROWSER',
    'A PNG is drawn by Chromium, and none was found on the PATH. Install it, ' +
      'set CHROMIUM to its path, or export to html or svg.',
  );
}

async function pngOf(html: string, height: number): Promise<Buffer> {
  const path = browser();
  const folder = mkdtempSync(join(tmpdir(), 'usher-anvil-'));
  try {
    writeFileSync(join(folder, 'page.html'), html);
    const args = [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--hide-scrollbars',
      '--force-color-profile=srgb',
      `--user-data-dir=${join(folder, 'profile')}`,
      `--window-size=1280,${height}`,
      `--screenshot=${join(folder, 'page.png')}`,
      join(folder, 'page.html'),
    ];
    const code = await new Promise<number | null>((resolve) => {
      const child = spawn(path, args, { stdio: 'ignore' });
      const limit = setTimeout(() => child.kill('SIGKILL'), 30_000);
      child.on('error', () => resolve(-1));
      child.on('exit', (exit) => {
        clearTimeout(limit);
        resolve(exit);
      });
    });
    if (!existsSync(join(folder, 'page.png')))
      throw new AnvilError(
        'E_NO_BROWSER',
        `Chromium at ${path} drew nothing (exit code ${code ?? 'none'}). Export to html or svg.`,
      );
    return readFileSync(join(folder, 'page.png'));
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
