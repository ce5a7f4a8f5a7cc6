/** A real Chromium for page tests. */
import { existsSync } from 'node:fs';
import { chromium, type Browser } from 'playwright-core';

export const chromiumPath = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser'].find((path) => path !== undefined && existsSync(path));

export function launch(): Promise<Browser> {
  if (chromiumPath === undefined) throw new Error('no Chromium: run npm test, which installs it, or set CHROMIUM');
  return chromium.launch({
    executablePath: chromiumPath,
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
}
