/** The VTK XML family: `.vtu`, `.vtp`, and `.vtm` which names a file per block. */
import { FormatError } from '../../errors'
import { cellDimension, cellTypeNames } from '../../mesh/cellTypes'
import { kindOfComponents } from '../../study/caseModel'
import type { Catalogue, Field, Part } from '../../study/caseModel'
import { parseUnit } from '../../fields/units'
import type { ByteSource, SourceFolder } from '../ByteSource'
import type { Format, OpenCase } from '../Format'
import { childrenNamed, readXmlTree } from './document'
import type { XmlElement } from './document'
import { PieceFile } from './pieces'

/** Names of a file that holds one part and gives it no name. */
const NAMELESS = 'region'
/** Files one multi-block file may name. */
const MAX_BLOCKS = 20_000

const sourceTypeNames: Record<number, string> = {
  ...cellTypeNames, 2: 'polyVertex', 4: 'polyLine', 6: 'triangleStrip', 8: 'pixel', 11: 'voxel',
}

export const vtkXml: Format = {
  id: 'VTK XML',
  endings: ['.vtu', '.vtp', '.vtm'],
  sniff(head) {
    const text = new TextDecoder('latin1').decode(head.subarray(0, 2000))
    return text.includes('<VTKFile')
  },
  async open(source, folder) {
    const head = new TextDecoder('latin1').decode(await source.read(0, Math.min(4000, source.size)))
    const type = /<VTKFile[^>]*\btype\s*=\s*["'](\w+)["']/.exec(head)?.[1]
    if (type === 'vtkMultiBlockDataSet') return openBlocks(source, folder)
    return new VtkCase(source.name, [{ name: NAMELESS, file: await PieceFile.open(source, folder) }]).load()
  },
}

interface Block {
  name: string
  file: PieceFile
}

async function openBlocks(source: ByteSource, folder: SourceFolder): Promise<OpenCase> {
  const root = await readXmlTree(source)
  const found: { name: string; file: string }[] = []
  collectBlocks(childrenNamed(root, 'vtkMultiBlockDataSet')[0], [], found, source.name)
  if (!found.length) throw new FormatError('no-block', `${source.name} names no files: it holds no data.`)
  const base = source.name.includes('/') ? source.name.slice(0, source.name.lastIndexOf('/') + 1) : ''
  const blocks: Block[] = []
  for (const { name, file } of found) {
    if (!/\.vt[up]$/i.test(file)) {
      throw new FormatError('unsupported', `${source.name} names “${file}”; blocks are read from .vtu and .vtp files only.`)
    }
    blocks.push({ name, file: await PieceFile.open(await folder.open(base + file), folder) })
  }
  return new VtkCase(source.name, uniqueNames(blocks)).load()
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

function uniqueNames(blocks: Block[]): Block[] {
  const used = new Map<string, number>()
  return blocks.map((block) => {
    const n = (used.get(block.name) ?? 0) + 1
    used.set(block.name, n)
    return n === 1 ? block : { ...block, name: `${block.name} ${n}` }
  })
}

const dimensionNames = ['points', 'lines', 'faces', 'cells']

class VtkCase implements OpenCase {
  catalogue!: Catalogue
  private readonly sources = new Map<string, { file: PieceFile; dimension: number }>()

  constructor(
    private readonly name: string,
    private readonly blocks: Block[],
  ) {}

  async load(): Promise<this> {
    const parts: Part[] = []
    const fields = new Map<string, Field>()
    const cautions: string[] = []
    for (const block of this.blocks) {
      const own = await this.partsOf(block)
      if (!own.length) cautions.push(`${block.name} has no cells and is left out.`)
      parts.push(...own)
      for (const part of own) addFields(fields, block.file, part.name)
    }
    if (!parts.length) throw new FormatError('no-cells', `${this.name} holds no cells: there is nothing to show.`)
    const time = this.blocks.map((b) => b.file.time).find((t) => t !== undefined)
    const lengthUnit = this.blocks.map((b) => b.file.lengthUnit).find((u) => u !== null) ?? null
    this.catalogue = {
      format: 'VTK XML',
      lengthUnit,
      lengthUnitFrom: lengthUnit ? 'file' : 'guess',
      timeUnit: 's',
      parts,
      sets: [],
      interfaces: [],
      fields: [...fields.values()],
      moments: [
        {
          index: 0,
          kind: time === undefined ? 'index' : 'time',
          label: time === undefined ? 'steady' : `${time}`,
          value: time ?? null,
          unit: time === undefined ? null : 's',
          topology: 0,
          coordinates: 0,
        },
      ],
      cautions,
    }
    return this
  }

  private async partsOf({ name, file }: Block): Promise<Part[]> {
    const types = await file.cellTypes()
    const counts = [0, 1, 2, 3].map(() => new Map<string, number>())
    for (const type of types) {
      const dimension = sourceDimension(type)
      const typeName = sourceTypeNames[type] ?? `type ${type}`
      counts[dimension]!.set(typeName, (counts[dimension]!.get(typeName) ?? 0) + 1)
    }
    const present = [3, 2, 1, 0].filter((d) => counts[d]!.size)
    return present.map((dimension, i) => {
      const partName = i === 0 ? name : `${name} ${dimensionNames[dimension]}`
      this.sources.set(partName, { file, dimension })
      const cells = [...counts[dimension]!.values()].reduce((a, b) => a + b, 0)
      const bounds = [null, null, null, null, null, null]
      return { name: partName, dimension, cells, points: file.nPoints(), cellTypes: Object.fromEntries(counts[dimension]!), bounds }
    })
  }

  private source(part: string): { file: PieceFile; dimension: number } {
    const found = this.sources.get(part)
    if (!found) throw new FormatError('no-part', `${this.name} has no part “${part}”; it has ${[...this.sources.keys()].join(', ')}.`)
    return found
  }

  async mesh(part: string): ReturnType<OpenCase['mesh']> {
    const { file, dimension } = this.source(part)
    return file.meshOfDimension(dimension)
  }

  async values(part: string, field: string): ReturnType<OpenCase['values']> {
    return this.source(part).file.values(field)
  }

  async meshKey(part: string): Promise<string> {
    return this.source(part).file.meshKey()
  }
}

/** Dimension of a source type; quadratic and unknown ones count as volumes until the mesh is read and refuses them. */
function sourceDimension(type: number): number {
  const split: Record<number, number> = { 2: 0, 4: 1, 6: 2, 8: 2, 11: 3 }
  return split[type] ?? (cellDimension(type) >= 0 ? cellDimension(type) : 3)
}

function addFields(fields: Map<string, Field>, file: PieceFile, part: string): void {
  for (const header of file.fields) {
    const key = `${header.name}\n${header.place}\n${header.components}`
    const known = fields.get(key)
    if (known) {
      known.parts.push(part)
      continue
    }
    const unit = header.unit && parseUnit(header.unit) ? header.unit : null
    fields.set(key, {
      name: header.name,
      place: header.place,
      kind: kindOfComponents(header.components),
      components: header.components,
      numberType: header.numberType,
      unit,
      ...(unit && { unitFrom: 'file' as const }),
      parts: [part],
      moments: [0],
    })
  }
}
