/** Where the files of this package are: they never show in stacks, and no step ends in them. */
import { fileURLToPath } from 'node:url';

export const OWN_BASE = new URL('../../', import.meta.url).href;
export const OWN_PATH = fileURLToPath(OWN_BASE);
/** As addresses and as paths. */
export const OWN_FILES: readonly string[] = [OWN_BASE, OWN_PATH];
