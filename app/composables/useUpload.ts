/**
 * Uploads several files, or whole folders, in pieces. One that broke off, or whose page was closed, goes on where it stopped
 * when the same files are chosen again.
 */
import { UserError } from '~~/core/errors'

export interface UploadFile {
  /** With the folders it lies in. */
  path: string
  file: File
}

const PIECE = 8 * 2 ** 20
/** Waits between attempts after a broken connection. */
const PAUSES_MS = [500, 2000, 5000]

export function useUpload() {
  const progress = ref<{ what: string; share: number } | null>(null)
  let isCancelled = false

  /** @returns the names of the files on the server, undefined when it was cancelled */
  async function upload(files: UploadFile[]): Promise<string[] | undefined> {
    isCancelled = false
    const all = files.reduce((sum, { file }) => sum + file.size, 0)
    const key = `stavik-upload-${files.map(({ path, file }) => `${path} ${file.size} ${file.lastModified}`).join()}`
    const folder = localStorage.getItem(key) ?? crypto.randomUUID()
    localStorage.setItem(key, folder)
    const names: string[] = []
    let before = 0
    try {
      for (const { path, file } of files) {
        const at = (sent: number): void => void (progress.value = { what: `Uploading ${path}`, share: all ? (before + sent) / all : 1 })
        names.push(await send(folder, path, file, at))
        before += file.size
        if (isCancelled) break
      }
      localStorage.removeItem(key)
      if (!isCancelled) return names
      await api.send('DELETE', `/api/uploads?upload=${folder}`)
      return undefined
    } finally {
      progress.value = null
    }
  }

  async function send(folder: string, path: string, file: File, tell: (sent: number) => void): Promise<string> {
    const place = new URLSearchParams({ upload: folder, name: path })
    let { arrived } = await api.get<{ arrived: number }>(`/api/uploads?${place}`)
    let name = `${folder}/${path}`
    let failures = 0
    tell(arrived)
    while ((arrived < file.size || file.size === 0) && !isCancelled) {
      const query = new URLSearchParams({ upload: folder, name: path, offset: String(arrived), total: String(file.size) })
      try {
        name = (await api.upload<{ file: string }>(`/api/uploads?${query}`, file.slice(arrived, arrived + PIECE))).file
        arrived = Math.min(arrived + PIECE, file.size)
        failures = 0
      } catch (error) {
        const mayPass = error instanceof UserError && ['unreachable', 'upload-cut', 'offset'].includes(error.code)
        if (!mayPass || failures >= PAUSES_MS.length) throw error
        await new Promise((resolve) => setTimeout(resolve, PAUSES_MS[failures++]))
        arrived = (await api.get<{ arrived: number }>(`/api/uploads?${place}`).catch(() => ({ arrived }))).arrived
      }
      tell(arrived)
      if (file.size === 0) break
    }
    return name
  }

  const cancel = (): void => void (isCancelled = true)
  return { progress, upload, cancel }
}

/** Files of a drop, those in folders too. */
export async function filesOfDrop(items: DataTransferItemList): Promise<UploadFile[]> {
  const found: UploadFile[] = []
  const visit = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))
      found.push({ path: entry.fullPath.replace(/^\//, ''), file })
      return
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader()
    for (;;) {
      // a reader gives its entries by the hundred
      const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject))
      if (!entries.length) return
      for (const inner of entries) await visit(inner)
    }
  }
  const entries = [...items].flatMap((item) => item.webkitGetAsEntry() ?? [])
  for (const entry of entries) await visit(entry)
  return found.filter(({ path }) => !path.split('/').some((segment) => segment.startsWith('.')))
}
