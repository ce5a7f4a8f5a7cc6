/** Parts of the workbench for programs that run on: a published page has none. */
export const StartPage = (): null => null;
export const ServesPage = (): null => null;
export const Prompt = (): null => null;
export const ChangeList = (): null => null;
