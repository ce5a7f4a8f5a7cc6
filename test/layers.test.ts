import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { folder, root } from './harness.js';

const check = (source?: string) =>
  spawnSync(process.execPath, [join(root, 'scripts/layers.mjs'), ...(source ? [source] : [])], { encoding: 'utf8' });

test('the order of layers holds', () => {
  expect(check()).toMatchObject({ status: 0, stdout: 'The order of layers and files holds.\n' });
});

test.each([
  ['syntax/a.ts', "import { x } from '../session/session.js';", /syntax may not know session/],
  ['runtime/a.ts', "import z from 'zod';", /runtime imports nothing from outside/],
  ['record/a.ts', "import fs from 'node:fs';", /record knows no Node/],
  ['patch/a.ts', "import { Target } from '../runtime/target.js';", /patch may not know runtime/],
  ['patch/b.ts', "export * from './a.js';", /export \*: name what it gives/],
  ['runtime/b.ts', "import { batch } from '../wire/schema.js';", /brings a library: it runs inside of targets/],
  ['views/one.ts', "import { two } from './two.js';", /in a circle: views\/one.ts > views\/two.ts > views\/one.ts/],
  ['workbench/a.ts', "import { runPad } from '../hosts/node/index.js';", /workbench may not know hosts\/node/],
])('an import against it fails: %s', (file, text, message) => {
  const source = folder({
    'wire/schema.ts': "import { z } from 'zod';",
    'views/two.ts': "import type { One } from './one.js';",
    [file]: text,
    'session/session.ts': '',
    'runtime/target.ts': '',
    'hosts/node/index.ts': '',
  });
  const { status, stderr } = check(source);
  expect([status, stderr]).toEqual([1, expect.stringMatching(message)]);
});
