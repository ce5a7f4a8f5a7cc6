/** Packages come with the page, and no others can be had. */
import { AnvilError } from '../../syntax/problems.js';

const none = (): never => {
  throw new AnvilError(
    'E_INSTALL',
    'This page has the packages that it was published with. Add others where the pad came from, and publish it anew.',
  );
};

export const addPackage = (): Promise<never> => Promise.resolve().then(none);
export const sizeOf = (): Promise<never> => Promise.resolve().then(none);
export const scriptsText = (): string[] => [];
