/** Parts of the workbench for programs that run on, and for pads that are pages: a published page has neither. */
export const ServesPage = (): null => null;
export const PageView = (): null => null;
export const LivePage = (): null => null;
export const Prompt = (): null => null;
export const ChangeList = (): null => null;
export const pageCommands = (): [] => [];
export const livePageCommands = (): [] => [];
