/** Files that may be brought in: those of the folders that the server was given and what was uploaded. */
import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { UserError } from '../../core/errors'
import { fileEndings, folderFormats } from '../../core/formats'
import { groupSeries } from '../../core/formats/series'
import { DiskFolder } from './files'
import type { CaseSource } from './messages'
import type { GivenFolder, Settings } from '../settings'

export interface SourceEntry {
  /** Name of the folder. */
  folder: string
  /** Several for a series; the name of a folder ends with a slash. */
  files: string[]
  /** Of all files that belong to it; null where there are too many to look at each. */
  bytes: number | null
  nFiles: number
  /** When the newest of them was written, in milliseconds since 1970. */
  written: number
}

/** Files of a case folder up to which each is looked at. */
const FEW = 2000

function allFolders({ folders, uploads }: Settings): GivenFolder[] {
  return [...folders, { name: 'uploads', path: uploads }]
}

/** Files that list other files of their folder. */
const HEADS = /\.(vtm|pvt[upirs])$/i

/**
 * Everything that can be opened by itself, series as one entry, what was written last first. Blocks named by a `.vtm` beside them
 * are left out.
 */
export async function listSources(settings: Settings): Promise<SourceEntry[]> {
  const entries: SourceEntry[] = []
  for (const { name: folder, path: root } of allFolders(settings)) {
    const all = await new DiskFolder(root).list()
    for (const name of folderFormats.flatMap((format) => format.roots(all))) {
      if (name) entries.push({ folder, files: [name], ...(await sizeOfFolder(root, name, all)) })
    }
    const inFolders = entries.filter((entry) => entry.folder === folder).map((entry) => entry.files[0]!)
    const names = all.filter(
      (name) => fileEndings.some((ending) => name.toLowerCase().endsWith(ending)) && !inFolders.some((root) => name.startsWith(root)),
    )
    const folderOf = (name: string): string => name.slice(0, name.lastIndexOf('/') + 1)
    const withBlocks = new Set(names.filter((name) => HEADS.test(name)).map(folderOf))
    const own = names.filter((name) => HEADS.test(name) || !withBlocks.has(folderOf(name)))
    for (const files of groupSeries(own)) {
      const beside = folderOf(files[0]!)
      // the size of what names other files is theirs
      const isAlone = HEADS.test(files[0]!) && own.filter((name) => folderOf(name) === beside).length === files.length
      entries.push({ folder, files, ...(await sizeOf(root, isAlone && beside ? all.filter((name) => name.startsWith(beside)) : files)) })
    }
  }
  return entries.sort((a, b) => b.written - a.written || (a.files[0]! < b.files[0]! ? -1 : 1))
}

/** @param all  names of files, sorted: those of a folder follow one another */
async function sizeOfFolder(
  root: string,
  name: string,
  all: readonly string[],
): Promise<Pick<SourceEntry, 'bytes' | 'nFiles' | 'written'>> {
  const first = firstFrom(all, name)
  const nFiles = firstFrom(all, `${name}\uffff`) - first
  if (nFiles <= FEW) return sizeOf(root, all.slice(first, first + nFiles))
  // a folder is written to when a new time begins in it
  return { bytes: null, nFiles, written: (await stat(join(root, name)).catch(() => undefined))?.mtimeMs ?? 0 }
}

/** Place of the first name that is not before another. */
function firstFrom(sorted: readonly string[], name: string): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const middle = (low + high) >>> 1
    if (sorted[middle]! < name) low = middle + 1
    else high = middle
  }
  return low
}

async function sizeOf(root: string, files: readonly string[]): Promise<Pick<SourceEntry, 'bytes' | 'nFiles' | 'written'>> {
  let bytes = 0
  let written = 0
  for (const name of files) {
    // a running solver may remove files during the listing
    const info = await stat(join(root, name)).catch(() => undefined)
    bytes += info?.size ?? 0
    written = Math.max(written, info?.mtimeMs ?? 0)
  }
  return { bytes, nFiles: files.length, written }
}

/** @throws UserError when there is no such folder, or a file is not there or lies outside */
export async function sourceOf(settings: Settings, folder: string, files: string[]): Promise<CaseSource> {
  const known = allFolders(settings)
  const root = known.find(({ name }) => name === folder)?.path
  if (root === undefined)
    throw new UserError(
      'no-folder',
      `There is no folder “${folder}” to bring files in from; there are ${known.map(({ name }) => `“${name}”`).join(', ')}.`,
    )
  const disk = new DiskFolder(root)
  for (const name of files) await disk.inside(name)
  return { folder: root, files }
}

/** The files of a case as they are now: a series may have got longer. */
export async function grownSeries({ folder, files }: CaseSource): Promise<string[]> {
  const first = files[0]!
  if (first.endsWith('/')) return files
  const beside = first.slice(0, first.lastIndexOf('/') + 1)
  const all = await new DiskFolder(folder).list(beside)
  const group = groupSeries(all.filter((name) => !name.slice(beside.length).includes('/'))).find((names) => names.includes(first))
  return group && (files.length > 1 || group.length === 1) ? group : files
}
