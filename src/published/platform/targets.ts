/** No programs run beside a page. */
export const targets = (): [] => [];
