/** There are no processes here. */
export const isAlive = (): boolean => false;
