// The Chromium of this machine, for benchmarks and pictures.
import { existsSync } from 'node:fs';
import { chromium } from 'playwright-core';

/** Starts a headless Chromium that asks nothing of the network. */
export function launchChromium() {
  const executablePath = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser'].find(
    (path) => path && existsSync(path),
  );
  if (executablePath === undefined) throw new Error('no Chromium: run npm test, which installs it, or set CHROMIUM');
  return chromium.launch({
    executablePath,
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
