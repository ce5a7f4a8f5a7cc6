/** Files of these languages do not come with a published pad: they are shown as plain text. */
import type { Extension } from '@codemirror/state';

export const css = (): Extension => [];
export const html = (): Extension => [];
