// Takes download addresses out of the lock file: versions and digests say all that is needed. Run after each npm install that changes it.
import { readFileSync, writeFileSync } from 'node:fs';

const file = new URL('../package-lock.json', import.meta.url);
const lock = JSON.parse(readFileSync(file, 'utf8'));
// What is linked lies here: without its folder nothing can be installed.
for (const entry of Object.values(lock.packages)) if (!entry.link) delete entry.resolved;
writeFileSync(file, `${JSON.stringify(lock, null, 2)}\n`);
