/** Opens one XML file of the family: its tree, byte order, header words, compressor, and the units of its arrays. */
import { FormatError } from '../../errors'
import type { ByteSource, SourceFolder } from '../ByteSource'
import { inlineLength } from './dataArray'
import type { FileContext, Layout } from './dataArray'
import { childNamed, childrenNamed, readXmlTree } from '../xmlTree'
import type { XmlElement } from '../xmlTree'

export async function openVtkFile(source: ByteSource, folder: SourceFolder): Promise<{ file: FileContext; root: XmlElement }> {
  const root = await readXmlTree(source, async (element, { attributes }) =>
    element.name === 'DataArray' ? inlineLength(source, element, layoutOf(attributes)) : 0,
  )
  if (root.name !== 'VTKFile')
    throw new FormatError('not-vtk', `${source.name} is XML, but not a VTK file: its first element is <${root.name}>.`)
  await readUnits(source, root)
  const appended = { appended: childNamed(root, 'AppendedData'), appendedStarts: appendedOffsets(root).sort((a, b) => a - b) }
  return { file: { source, folder, ...layoutOf(root.attributes), ...appended }, root }
}

function layoutOf({ byte_order, header_type, compressor }: XmlElement['attributes']): Layout {
  return { isLittleEndian: byte_order !== 'BigEndian', headerSize: header_type === 'UInt64' ? 8 : 4, compressor: compressor || undefined }
}

function appendedOffsets(element: XmlElement): number[] {
  return element.children.flatMap((child) =>
    child.attributes['format'] === 'appended' ? [Number(child.attributes['offset'])] : appendedOffsets(child),
  )
}

/** The format's own key for the unit of an array. */
export function unitLabel(element: XmlElement | undefined): string | null {
  const key = childrenNamed(element, 'InformationKey').find((k) => k.attributes['name'] === 'UNITS_LABEL')
  return key ? (unitTexts.get(key) ?? null) : null
}

/** Texts of unit keys, filled by `readUnits`: the tree itself holds no text. */
const unitTexts = new WeakMap<XmlElement, string>()

/** Reads the texts of all unit keys of a tree. */
async function readUnits(source: ByteSource, element: XmlElement): Promise<void> {
  for (const child of element.children) {
    if (child.name === 'InformationKey' && child.attributes['name'] === 'UNITS_LABEL') {
      const [start, end] = child.content
      if (end - start < 200) unitTexts.set(child, new TextDecoder().decode(await source.read(start, end)).trim())
    } else await readUnits(source, child)
  }
}
