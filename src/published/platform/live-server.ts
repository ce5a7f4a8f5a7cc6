/** What windows ask of programs that run on: a published page has none. */
const nothing = (): Promise<void> => Promise.resolve();

export const joinProgram = (): void => undefined;
export const hold = (): void => undefined;
export const stored = (): void => undefined;
export const [apply, again, enter, complete, undo, runWaiting, reset] = new Array<typeof nothing>(7).fill(nothing);
export const watchEntries = () => (): void => undefined;
export const [showServing, leaveServing, pickEntry, askEntry, compareWithBefore] = new Array<typeof nothing>(5).fill(
  nothing,
);
export const [keepLastPage, keepLastPageNow] = [nothing, nothing];
export const layBeside = (): void => undefined;
export class LiveSubject {}
