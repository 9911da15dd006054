/** The VTK XML family: `.vtu .vtp .vti .vtr .vts`, their partitioned forms, and `.vtm` which names a file per block. */
import { FormatError } from '../../errors'
import type { ByteSource, SourceFolder } from '../ByteSource'
import type { Format, OpenCase } from '../Format'
import { joinFields, SourceCase, timeMoment, uniqueNames } from '../SourceCase'
import type { SourceField, SourcePart } from '../SourceCase'
import { childrenNamed, readXmlTree } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { Grid, isTime } from './pieces'

/** Names of a file that holds one part and gives it no name. */
const NAMELESS = 'region'
/** Files one multi-block file may name. */
const MAX_BLOCKS = 20_000
const endings = ['.vtu', '.vtp', '.vti', '.vtr', '.vts']

export const vtkXml: Format = {
  id: 'VTK XML',
  endings: ['.vtm', ...endings, ...endings.map((ending) => ending.replace('.', '.p'))],
  sniff(head) {
    const text = new TextDecoder('latin1').decode(head.subarray(0, 2000))
    return text.includes('<VTKFile')
  },
  async open(source, folder, like) {
    const grids = (like && gridsOf.get(like)) ?? new Map<string, Grid>()
    const head = new TextDecoder('latin1').decode(await source.read(0, Math.min(4000, source.size)))
    const type = /<VTKFile[^>]*\btype\s*=\s*["'](\w+)["']/.exec(head)?.[1]
    if (type === 'vtkMultiBlockDataSet') return openBlocks(source, folder, grids)
    return caseOf(source.name, [{ name: NAMELESS, grid: await Grid.open(source, folder) }], grids)
  },
}

/** Grids of an opened file by the names of their blocks: the next file of a series may have the same cells. */
const gridsOf = new WeakMap<OpenCase, Map<string, Grid>>()

interface Block {
  name: string
  grid: Grid
}

async function openBlocks(source: ByteSource, folder: SourceFolder, like: ReadonlyMap<string, Grid>): Promise<OpenCase> {
  const root = await readXmlTree(source)
  const found: { name: string; file: string }[] = []
  collectBlocks(childrenNamed(root, 'vtkMultiBlockDataSet')[0], [], found, source.name)
  if (!found.length) throw new FormatError('no-block', `${source.name} names no files: it holds no data.`)
  const base = source.name.slice(0, source.name.lastIndexOf('/') + 1)
  const blocks: Block[] = []
  for (const { name, file } of found) {
    if (!/\.p?vt[upirs]$/i.test(file)) {
      throw new FormatError('unsupported', `${source.name} names “${file}”; blocks are read from ${endings.join(', ')} files only.`)
    }
    blocks.push({ name, grid: await Grid.open(await folder.open(base + file), folder) })
  }
  return caseOf(source.name, uniqueNames(blocks), like)
}

function collectBlocks(element: XmlElement | undefined, path: string[], found: { name: string; file: string }[], where: string): void {
  for (const child of element?.children ?? []) {
    const name = child.attributes['name'] ?? `block ${child.attributes['index'] ?? found.length}`
    if (child.name === 'Block' || child.name === 'Piece') collectBlocks(child, [...path, name], found, where)
    if (child.name !== 'DataSet' || !child.attributes['file']) continue
    if (found.length >= MAX_BLOCKS) throw new FormatError('too-many', `${where} names more than ${MAX_BLOCKS} files; it is not read.`)
    found.push({ name: [...path, name].join('/'), file: child.attributes['file'] })
  }
}

async function caseOf(name: string, blocks: Block[], like: ReadonlyMap<string, Grid>): Promise<OpenCase> {
  const parts: SourcePart[] = []
  const fields: SourceField[] = []
  const cautions: string[] = []
  for (const block of blocks) {
    const own = await block.grid.parts(block.name, like.get(block.name))
    if (!own.length) cautions.push(`${block.name} has no cells and is left out.`)
    parts.push(...own)
    fields.push(...block.grid.sourceFields(own.map((part) => part.name)))
  }
  const time = blocks.map((b) => b.grid.time).find((t) => t !== undefined)
  const lengthUnit = blocks.map((b) => b.grid.lengthUnit).find((u) => u !== null) ?? null
  const numbers = blocks
    .flatMap((b) => b.grid.numbers)
    .filter((number, i, all) => !isTime(number) && all.findIndex((other) => other.name === number.name) === i)
  const opened = new SourceCase({
    format: 'VTK XML',
    name,
    lengthUnit,
    parts,
    fields: joinFields(fields),
    numbers: numbers.map(({ value, ...number }) => ({ ...number, values: [value] })),
    cautions,
    ...(time !== undefined && { moments: [timeMoment(time)] }),
  })
  gridsOf.set(opened, new Map(blocks.map((block) => [block.name, block.grid])))
  return opened
}
