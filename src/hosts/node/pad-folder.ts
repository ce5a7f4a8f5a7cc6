/** Name of the folder, beside a pad, that holds packages added for it. */
export const PAD_FOLDER = '.usher-anvil';
