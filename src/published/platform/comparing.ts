/** Ways are timed in processes of their own, which a page has not. */
import { AnvilError } from '../../syntax/problems.js';

const none = (): never => {
  throw new AnvilError(
    'E_COMPARE',
    'Ways are timed in processes of their own, which a page has not. Open the pad with usher-anvil open.',
  );
};

export const comparePadWays = (): Promise<never> => Promise.resolve().then(none);
export const compareWays = (): Promise<never> => Promise.resolve().then(none);
export const textsAt = none;
