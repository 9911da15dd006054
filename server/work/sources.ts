/** Files that may be brought in: those of the data folder and what was uploaded. */
import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { fileEndings, folderFormats } from '../../core/formats'
import { groupSeries } from '../../core/formats/series'
import { DiskFolder } from './files'
import type { CaseSource } from './messages'
import type { Settings } from './settings'

export interface SourceEntry {
  folder: 'data' | 'uploads'
  /** Several for a series; the name of a folder ends with a slash. */
  files: string[]
  bytes: number
}

function pathOf(settings: Settings, folder: 'data' | 'uploads'): string {
  return folder === 'uploads' ? settings.uploads : settings.folders[0]!.path
}

/** Files that name the others beside them. */
const HEADS = /\.(vtm|pvt[upirs])$/i

/** Everything that can be opened by itself, series as one entry. Blocks named by a `.vtm` beside them are left out. */
export async function listSources(settings: Settings): Promise<SourceEntry[]> {
  const entries: SourceEntry[] = []
  for (const folder of ['data', 'uploads'] as const) {
    const root = pathOf(settings, folder)
    const all = await new DiskFolder(root).list()
    for (const name of folderFormats.flatMap((format) => format.roots(all))) {
      if (name) entries.push({ folder, files: [name], bytes: await sizeOf(root, all.filter((file) => file.startsWith(name))) })
    }
    const inFolders = entries.filter((entry) => entry.folder === folder).map((entry) => entry.files[0]!)
    const names = all.filter((name) => !inFolders.some((root) => name.startsWith(root))).filter((name) => fileEndings.some((ending) => name.toLowerCase().endsWith(ending)))
    const folderOf = (name: string): string => name.slice(0, name.lastIndexOf('/') + 1)
    const withBlocks = new Set(names.filter((name) => HEADS.test(name)).map(folderOf))
    const own = names.filter((name) => HEADS.test(name) || !withBlocks.has(folderOf(name)))
    for (const files of groupSeries(own)) {
      const beside = folderOf(files[0]!)
      // the size of what names other files is theirs
      const isAlone = HEADS.test(files[0]!) && own.filter((name) => folderOf(name) === beside).length === files.length
      entries.push({ folder, files, bytes: await sizeOf(root, isAlone && beside ? all.filter((name) => name.startsWith(beside)) : files) })
    }
  }
  return entries
}

async function sizeOf(root: string, files: readonly string[]): Promise<number> {
  let bytes = 0
  for (const name of files) bytes += (await stat(join(root, name))).size
  return bytes
}

/** @throws UserError when a file is not there or lies outside */
export async function sourceOf(settings: Settings, folder: 'data' | 'uploads', files: string[]): Promise<CaseSource> {
  const root = pathOf(settings, folder)
  const disk = new DiskFolder(root)
  for (const name of files) await disk.inside(name)
  return { folder: root, files }
}

/** The files of a case as they are now: a series may have got longer. */
export async function grownSeries({ folder, files }: CaseSource): Promise<string[]> {
  const first = files[0]!
  if (first.endsWith('/')) return files
  const all = await new DiskFolder(folder).list()
  const beside = first.slice(0, first.lastIndexOf('/') + 1)
  const group = groupSeries(all.filter((name) => name.startsWith(beside) && !name.slice(beside.length).includes('/'))).find((names) => names.includes(first))
  return group && (files.length > 1 || group.length === 1) ? group : files
}
