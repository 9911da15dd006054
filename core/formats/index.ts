/** All formats, in the order in which they are tried. */
import { FormatError } from '../errors'
import type { ByteSource, SourceFolder } from './ByteSource'
import type { Format, OpenCase } from './Format'
import { vtkXml } from './vtkXml'

export const formats: readonly Format[] = [
  vtkXml, // by its root element
]

/** Endings of all files that can be opened by themselves. */
export const fileEndings: readonly string[] = formats.flatMap((format) => format.endings)

/** @throws FormatError when no format knows the file, or the one that does finds it damaged */
export async function openFile(source: ByteSource, folder: SourceFolder): Promise<OpenCase> {
  if (source.size === 0) throw new FormatError('empty-file', `${source.name} is empty; write or copy it again.`)
  const head = await source.read(0, Math.min(source.size, 4096))
  const format = formats.find((candidate) => candidate.sniff(head, source.name))
  if (!format) {
    throw new FormatError('unknown-format', `${source.name} is of no kind that is read; known are ${fileEndings.join(', ')}.`)
  }
  return format.open(source, folder)
}
