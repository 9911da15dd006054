/** All formats, in the order in which they are tried. */
import { FormatError } from '../errors'
import type { ByteSource, SourceFolder } from './ByteSource'
import type { FolderFormat, Format, OpenCase } from './Format'
import { cgns } from './cgns'
import { exodus } from './exodus'
import { frd } from './frd'
import { med } from './med'
import { openFoamFolder } from './openFoam'
import { ply } from './ply'
import { stl } from './stl'
import { table } from './table'
import { vtkLegacy } from './vtkLegacy'
import { vtkXml } from './vtkXml'
import { xdmf } from './xdmf'
import { xlsx } from './xlsx'

export const formats: readonly Format[] = [
  vtkXml, // by its root element
  xdmf, // by its root element
  vtkLegacy, // by its first line
  cgns, // HDF5, by its ending
  med, // HDF5, by its ending
  exodus, // by its first bytes, or HDF5 by its ending
  frd, // by its first line
  ply, // by its first line
  stl, // by its ending: binary files begin with anything
  xlsx, // by its ending, when it is an archive
  table, // by its ending, when it is text
]

/** Endings of all files that can be opened by themselves. */
export const fileEndings: readonly string[] = formats.flatMap((format) => format.endings)

/** @throws FormatError when no format knows the file, or the one that does finds it damaged */
export async function openFile(source: ByteSource, folder: SourceFolder, like?: OpenCase): Promise<OpenCase> {
  if (source.size === 0) throw new FormatError('empty-file', `${source.name} is empty; write or copy it again.`)
  const head = await source.read(0, Math.min(source.size, 4096))
  const format = formats.find((candidate) => candidate.sniff(head, source.name))
  if (!format) {
    throw new FormatError('unknown-format', `${source.name} is of no kind that is read; known are ${fileEndings.join(', ')}.`)
  }
  return format.open(source, folder, like)
}

export const folderFormats: readonly FolderFormat[] = [openFoamFolder]

/** @param root  name of the folder with a slash at its end; empty for the whole */
export async function openFolder(folder: SourceFolder, root: string): Promise<OpenCase> {
  const names = await folder.list(root)
  for (const format of folderFormats) {
    const roots = format.roots(names)
    // a folder that contains a single case is taken as that case
    if (roots.includes(root) || (root === '' && roots.length === 1)) return format.open(folder, roots.includes(root) ? root : roots[0]!)
  }
  const files = names.filter((name) => fileEndings.some((ending) => name.toLowerCase().endsWith(ending)))
  throw new FormatError(
    'unknown-folder',
    `The folder is of no kind that is ` +
      `read${files.length ? `; name a file in it, such as ${files.slice(0, 3).join(', ')}` : ': it holds no result file'}.`,
  )
}
