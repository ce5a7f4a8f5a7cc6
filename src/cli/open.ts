export async function openCommand(_p: string, _o: { port?: string }): Promise<number> { return 0; }
