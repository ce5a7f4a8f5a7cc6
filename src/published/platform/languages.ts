/** Languages of a project are executed where it is: a published pad has none. */
export const addedExtensions = (): [] => [];
