/** Names of the files of a stored case. A file's index is written after it, so that an index means a whole file. */
import { readFile } from 'node:fs/promises'

/** Of what mesh blocks hold: those of another layout are not found, and made again from the source. */
const LAYOUT = 3

export function meshFile(part: number, version: number): string {
  return `${part}-mesh${LAYOUT}-${version}.blocks`
}

export function fieldFile(part: number, field: number, moment: number): string {
  return `${part}-field-${field}-${moment}.blocks`
}

/** The index of a stored file, if it was stored whole. */
export async function readIndex<T>(path: string): Promise<T | undefined> {
  const text = await readFile(`${path}.json`, 'utf8').catch(() => undefined)
  return text === undefined ? undefined : (JSON.parse(text) as T)
}
