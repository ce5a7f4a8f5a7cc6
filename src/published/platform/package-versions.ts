/** See `packages.ts`. */
export const importableNames = (): string[] => [];
export const packageVersions = (): Promise<undefined> => Promise.resolve(undefined);
