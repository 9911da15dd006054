export async function bench(_args: string[]): Promise<void> {}
