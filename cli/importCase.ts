/**
 * `stavik import PATH… [--name N]`: brings a result file, the files of a series, or a case folder into the running server.
 * Files in a folder of the server stay where they are, others are uploaded.
 */
import { open, readdir, stat } from 'node:fs/promises'
import { basename, dirname, join, relative, resolve, sep } from 'node:path'
import { UserError } from '../core/errors'
import { Api } from './Api'
import { readArguments } from './arguments'
import type { GivenFolder } from '../server/settings'

const USAGE = './stavik import PATH… [--name N]'
const PIECE = 8 * 2 ** 20

interface State {
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
  progress: { share: number; what: string } | null
}

export async function importCase(args: string[]): Promise<void> {
  const options = readArguments(args, { name: 'value', url: 'value' }, USAGE)
  const paths = options.positional.map((path) => resolve(path))
  if (!paths.length) throw new UserError('usage', `Name a result file or case folder: ${USAGE}.`)
  for (const path of paths)
    if (!(await stat(path).catch(() => undefined)))
      throw new UserError('no-file', `${path}: there is no such file or folder; check the name.`)
  const api = new Api(options.value('url') ?? 'http://127.0.0.1:4173')
  const source = within(paths, await api.get<GivenFolder[]>('/api/files/folders')) ?? (await sent(api, paths))
  const files = await Promise.all(
    source.files.map(async (name, i) => ((await stat(paths[i] ?? paths[0]!)).isDirectory() ? `${name}/` : name)),
  )
  const name = options.value('name') ?? basename(paths[0]!).replace(/[_-]?\d*\.[^.]+$/, '')
  const { id } = await api.post<{ id: string }>('/api/cases', { name, folder: source.folder, files })
  await watch(api, id)
  process.stdout.write(`${name} is read: ${options.value('url') ?? 'http://127.0.0.1:4173'}/case/${id}\n`)
}

/** Names below one of the server's folders, if all files are in it. */
function within(paths: readonly string[], folders: readonly GivenFolder[]): { folder: string; files: string[] } | undefined {
  for (const { name, path } of folders) {
    const root = resolve(path) + sep
    if (paths.every((own) => own.startsWith(root))) return { folder: name, files: paths.map((own) => relative(root, own)) }
  }
  return undefined
}

async function sent(api: Api, paths: readonly string[]): Promise<{ folder: 'uploads'; files: string[] }> {
  const upload = crypto.randomUUID()
  const tops: string[] = []
  for (const path of paths) {
    const info = await stat(path)
    const beside = dirname(path)
    const names = info.isDirectory()
      ? (await readdir(path, { recursive: true, withFileTypes: true })).filter((e) => e.isFile()).map((e) => join(e.parentPath, e.name))
      : [path, ...(await companions(path))]
    for (const name of names) await send(api, upload, relative(beside, name), name)
    tops.push(`${upload}/${basename(path)}`)
  }
  return { folder: 'uploads', files: tops }
}

/** Files that an index file may refer to: those of its folder and of the folder with its own name. */
async function companions(path: string): Promise<string[]> {
  if (!/\.(vtm|pvt[upirs]|xdmf|xmf)$/i.test(path)) return []
  const folder = dirname(path)
  const own = basename(path).replace(/\.[^.]+$/, '')
  const entries = await readdir(folder, { withFileTypes: true })
  const beside = entries.filter((e) => e.isFile() && /\.(vt[upirs]|h5|hdf5|bin|raw)$/i.test(e.name)).map((e) => join(folder, e.name))
  const inside = entries.some((e) => e.isDirectory() && e.name === own)
    ? (await readdir(join(folder, own))).map((name) => join(folder, own, name))
    : []
  return [...beside, ...inside]
}

async function send(api: Api, upload: string, name: string, path: string): Promise<void> {
  const handle = await open(path, 'r')
  try {
    const { size } = await handle.stat()
    for (let offset = 0; offset < size || offset === 0; offset += PIECE) {
      const piece = new Uint8Array(Math.min(PIECE, size - offset))
      await handle.read(piece, 0, piece.length, offset)
      const query = new URLSearchParams({ upload, name: name.split(sep).join('/'), offset: String(offset), total: String(size) })
      await api.bytes(`/api/uploads?${query}`, piece)
      process.stderr.write(`\rsending ${name}: ${Math.round((100 * Math.min(offset + PIECE, size)) / Math.max(size, 1))} %  `)
    }
    process.stderr.write('\n')
  } finally {
    await handle.close()
  }
}

/** Waits until the case is read, saying how far it is. */
async function watch(api: Api, id: string): Promise<void> {
  let said = ''
  for (;;) {
    const { state, failure, progress } = await api.get<State>(`/api/cases/${id}`)
    if (state === 'ready') return
    if (state === 'failed') throw new UserError('failed', failure ?? 'The case could not be read.')
    const line = progress ? `${Math.round(100 * progress.share)} %, ${progress.what}` : 'waiting'
    if (line !== said) process.stderr.write(`${(said = line)}\n`)
    await new Promise((resolve) => setTimeout(resolve, 300))
  }
}
