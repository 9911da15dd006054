/** Where things are and how much memory may be used, from the environment that `./stavik` sets. */
import { basename, delimiter, isAbsolute, join } from 'node:path'
import { UserError } from '../core/errors'

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
  /** Threads that compute; the number that fits where it is not said. */
  threads: number | undefined
  /** Bytes of block stores on disk. */
  disk: number
  /** Tests: blocks are overwritten at once when they are released. */
  isStrict: boolean
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
    threads: threadsOf(env),
    disk,
    isStrict: env['STAVIK_STRICT'] === '1',
  }
}

/** Names of folders of the server itself. */
const OWN = ['data', 'uploads']

/** Folders by the last part of their paths. @throws Error when one is no absolute path */
export function givenFolders(list: string | undefined): GivenFolder[] {
  const folders: GivenFolder[] = []
  for (const path of (list ?? '').split(delimiter).filter(Boolean)) {
    if (!isAbsolute(path))
      throw new Error(`STAVIK_FOLDERS holds “${path}”; name folders by absolute paths with “${delimiter}” between them.`)
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

/** @throws UserError when it is no number of threads */
function threadsOf(env: NodeJS.ProcessEnv): number | undefined {
  const text = env['STAVIK_THREADS']
  if (text === undefined) return undefined
  const threads = Number(text)
  if (!(Number.isInteger(threads) && threads >= 1 && threads <= MOST_THREADS)) {
    throw new UserError('usage', `STAVIK_THREADS is the number of threads that compute, from 1 to ${MOST_THREADS}.`)
  }
  return threads
}

const MIB = 2 ** 20
/** Threads have a bit each in the arena, of which the main thread has one. */
const MOST_THREADS = 24
/** Memory of Node with the main thread, and of each thread that computes, without the arena. */
const PROCESS = 192 * MIB
const THREAD = 64 * MIB
const SMALLEST_ARENA = 48 * MIB
/** Addresses in the arena have 32 bits. */
const LARGEST_ARENA = 4 * GIB

export interface Budgets {
  /** For a whole case that is read. */
  import: number
  /** For fields that are read during an import. */
  reading: number
  /** Of the one shared memory for blocks, shapes and values. */
  arena: number
  threads: number
}

/**
 * How the memory is divided: so much for the process and each thread, 40 % for reading a case, 5 % for reading fields meanwhile, and the
 * rest for the arena. Where little is left there are fewer threads.
 *
 * @param wanted  threads; as many as cores, but no more than 8, when undefined
 */
export function budgets(memory: number, cores: number, wanted?: number): Budgets {
  const reading = Math.max(0.05 * memory, 16 * MIB)
  const arenaFor = (threads: number): number => 0.6 * memory - reading - PROCESS - threads * THREAD
  let threads = wanted ?? Math.max(1, Math.min(cores, 8))
  while (threads > 1 && arenaFor(threads) < SMALLEST_ARENA) threads--
  return { import: importBudget(memory), reading, arena: Math.min(LARGEST_ARENA, Math.max(SMALLEST_ARENA, arenaFor(threads))), threads }
}

/** Bytes for reading a whole case. */
export function importBudget(memory: number): number {
  return 0.4 * memory
}
