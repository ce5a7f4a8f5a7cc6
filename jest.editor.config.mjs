import config from './jest.config.mjs';

/** The extension in a real editor: `npm run test:editor`. */
export default { ...config, roots: ['<rootDir>/editors/code/test'], maxWorkers: 1, setupFilesAfterEnv: [] };
