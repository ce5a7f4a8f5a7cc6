import { join } from 'node:path';
import { mappedPaths, ProjectConfigs } from '#dist/hosts/node/project/tsconfig.js';
import { folder } from '../../../../test/harness.js';

const json = (value: unknown): string => JSON.stringify(value);

test('the nearest configuration that takes a file in decides, over references, else the nearest', () => {
  const dir = folder({
    'base.json': '{ // with comments\n "compilerOptions": { "experimentalDecorators": true, "target": "es2020", } }',
    'tsconfig.json': json({ files: [], references: [{ path: './app' }, { path: './tests/tsconfig.tests.json' }] }),
    'app/tsconfig.json': json({ extends: '../base.json', compilerOptions: { module: 'commonjs' }, include: ['src'] }),
    'tests/tsconfig.tests.json': json({
      compilerOptions: { module: 'esnext', jsx: 'react-jsx', jsxImportSource: 'canal' },
      include: ['.'],
    }),
  });
  const configs = new ProjectConfigs();
  const settings = (file: string) => configs.of(join(dir, file))!.settings;
  expect(settings('app/src/main.ts')).toMatchObject({
    module: 'commonjs',
    experimentalDecorators: true,
    useDefineForClassFields: false,
    esModuleInterop: false,
  });
  expect(settings('tests/lock.test.tsx')).toMatchObject({
    module: 'esm',
    jsx: 'automatic',
    jsxImportSource: 'canal',
    experimentalDecorators: false,
  });
  // Not taken in by any: the nearest.
  expect(settings('app/scratch.ts').from).toBe(join(dir, 'app/tsconfig.json'));
  expect(configs.of(join(folder(), 'alone.ts'))).toBeUndefined();
});

test('what a module kind and a target imply', () => {
  const of = (compilerOptions: object) =>
    new ProjectConfigs().of(join(folder({ 'tsconfig.json': json({ compilerOptions }) }), 'a.ts'))!.settings;
  expect(of({ module: 'nodenext' })).toMatchObject({
    module: 'node',
    esModuleInterop: true,
    useDefineForClassFields: true,
  });
  expect(of({ module: 'preserve' })).toMatchObject({ module: 'esm' });
  expect(of({ target: 'es2022', useDefineForClassFields: false })).toMatchObject({ useDefineForClassFields: false });
  expect(of({ jsx: 'react', jsxFactory: 'h' })).toMatchObject({ jsx: 'classic', jsxFactory: 'h' });
});

test('paths are tried by the longest match, then baseUrl', () => {
  const dir = folder({
    'tsconfig.json': json({
      compilerOptions: {
        baseUrl: './src',
        paths: { '@canal/*': ['canal/*', 'old/*'], '@canal/locks/*': ['locks/*'], exact: ['one.ts'] },
      },
    }),
  });
  const config = new ProjectConfigs().of(join(dir, 'a.ts'))!;
  const mapped = (name: string) => mappedPaths(config, name).map((path) => path.slice(dir.length + 1));
  expect(mapped('@canal/gate')).toEqual(['src/canal/gate', 'src/old/gate', 'src/@canal/gate']);
  expect(mapped('@canal/locks/one')[0]).toBe('src/locks/one');
  expect(mapped('exact')[0]).toBe('src/one.ts');
  expect(mapped('other')).toEqual(['src/other']);
});
