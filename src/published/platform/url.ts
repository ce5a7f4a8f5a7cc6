/** What the workbench asks of `node:url`. */
export const fileURLToPath = (address: string | URL): string => new URL(address).pathname;
