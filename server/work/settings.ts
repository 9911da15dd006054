/** Where things are and how much memory may be used, from the environment that `./stavik` sets. */
import { basename, delimiter, isAbsolute, join } from 'node:path'
import { UserError } from '../../core/errors'

export interface GivenFolder {
  name: string
  path: string
}

export interface Settings {
  databaseUrl: string
  /** Block stores of cases. */
  store: string
  /** Folders whose files may be brought in, by the name shown; the first one is the server's own. */
  folders: GivenFolder[]
  uploads: string
  bundles: string
  memory: number
  /** Bytes of block stores on disk. */
  disk: number
}

const GIB = 2 ** 30

/** @throws Error when the server was not started by ./stavik */
export function readSettings(env: NodeJS.ProcessEnv): Settings {
  const { STAVIK_DATA: data, STAVIK_DATABASE_URL: databaseUrl, STAVIK_BUNDLES: bundles } = env
  if (!data || !databaseUrl || !bundles) throw new Error('Start the server with ./stavik start.')
  const memory = memoryOf(env)
  const disk = Number(env['STAVIK_DISK'] ?? 100) * GIB
  if (!(disk > 0)) throw new Error('STAVIK_DISK is the disk space for stored fields in GiB, more than 0.')
  return {
    databaseUrl,
    store: join(data, 'store'),
    folders: [{ name: 'data', path: join(data, 'data') }, ...givenFolders(env['STAVIK_FOLDERS'])],
    uploads: join(data, 'uploads'),
    bundles,
    memory,
    disk,
  }
}

/** Names of folders of the server itself. */
const OWN = ['data', 'uploads']

/** Folders by the last part of their paths. @throws Error when one is no absolute path */
export function givenFolders(list: string | undefined): GivenFolder[] {
  const folders: GivenFolder[] = []
  for (const path of (list ?? '').split(delimiter).filter(Boolean)) {
    if (!isAbsolute(path)) throw new Error(`STAVIK_FOLDERS holds “${path}”; name folders by absolute paths with “${delimiter}” between them.`)
    const plain = basename(path) || path
    const isTaken = (name: string): boolean => OWN.includes(name) || folders.some((folder) => folder.name === name)
    let name = plain
    for (let n = 2; isTaken(name); n++) name = `${plain} ${n}`
    folders.push({ name, path })
  }
  return folders
}

/** Bytes of memory to use. @throws UserError when they are too few */
export function memoryOf(env: NodeJS.ProcessEnv): number {
  const memory = Number(env['STAVIK_MEMORY'] ?? 2) * GIB
  if (!(memory >= GIB / 2)) throw new UserError('usage', 'STAVIK_MEMORY is the memory to use in GiB, at least 0.5.')
  return memory
}

/**
 * How the memory is divided. Reading a part may use the most; lent blocks and kept results are bounded caches; what is
 * left is for Node and its workers, each of which keeps at most some 200 MB of decoded blocks.
 */
export function budgets(memory: number): { blocks: number; import: number; results: number; shapes: number } {
  return { blocks: 0.2 * memory, import: 0.4 * memory, results: 0.08 * memory, shapes: 0.08 * memory }
}
