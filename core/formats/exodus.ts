/**
 * Exodus II: element blocks as regions or surfaces, side sets as surfaces, node and element variables over time; in classic
 * NetCDF or HDF5. Node orders follow the Exodus II finite element data model (Schoof and Yarberry, SAND92-2137).
 */
import { FormatError } from '../errors'
import { sideNodes, sideType } from '../mesh/cellSides'
import { CellType } from '../mesh/cellTypes'
import { Growing } from '../mesh/growing'
import type { FloatArray } from '../mesh/MeshBlock'
import { sourceDimension, sourceTypeNames } from '../mesh/normaliseCells'
import type { SourceMesh } from '../mesh/normaliseCells'
import { cornerEdges, midsideError } from '../mesh/quadraticCells'
import { compactPoints } from '../mesh/selectCells'
import type { SelectedMesh } from '../mesh/selectCells'
import { joinComponents } from './components'
import { orderedRows, pointsOfColumns, tableWindows } from './cellTables'
import type { CellTable } from './cellTables'
import type { Format, FormatWindows, OpenCase } from './Format'
import { isHdf5 } from './hdf5/Hdf5'
import { isNetcdf, openNetcdf } from './netcdf'
import type { Netcdf, NetcdfVariable } from './netcdf'
import { joinFields, numberFields, SourceCase, timeMoment, uniqueNames } from './SourceCase'
import type { SourceField, SourceNumber, SourcePart } from './SourceCase'

const straight = (n: number): number[] => Array.from({ length: n }, (_, i) => i)
/** Where each node of the core's order stands in the file's: vertical edges come before the upper ones. */
const hexahedron20 = [...straight(12), 16, 17, 18, 19, 12, 13, 14, 15]
const wedge15 = [...straight(9), 12, 13, 14, 9, 10, 11]

/** By the first letters of the element type and the number of nodes. */
const elementTypes: Record<string, Record<number, { type: number; nodes: readonly number[] }>> = {
  HEX: {
    8: { type: 12, nodes: straight(8) },
    20: { type: 25, nodes: hexahedron20 },
    27: { type: 29, nodes: [...hexahedron20, 23, 24, 25, 26, 21, 22, 20] },
  },
  TET: { 4: { type: 10, nodes: straight(4) }, 10: { type: 24, nodes: straight(10) } },
  WED: { 6: { type: 13, nodes: straight(6) }, 15: { type: 26, nodes: wedge15 } },
  PYR: { 5: { type: 14, nodes: straight(5) }, 13: { type: 27, nodes: straight(13) } },
  QUA: { 4: { type: 9, nodes: straight(4) }, 8: { type: 23, nodes: straight(8) }, 9: { type: 28, nodes: straight(9) } },
  TRI: { 3: { type: 5, nodes: straight(3) }, 6: { type: 22, nodes: straight(6) } },
  BAR: { 2: { type: 3, nodes: straight(2) }, 3: { type: 21, nodes: straight(3) } },
  SPH: { 1: { type: 1, nodes: [0] } },
}
for (const [name, like] of [
  ['SHE', 'QUA'],
  ['BEA', 'BAR'],
  ['TRU', 'BAR'],
  ['EDG', 'BAR'],
  ['CIR', 'SPH'],
  ['PEN', 'WED'],
] as const)
  elementTypes[name] = elementTypes[like]!

/** Corners of each side, in the file's numbering of sides. */
const sides: Record<number, readonly (readonly number[])[]> = {
  [CellType.hexahedron]: [
    [0, 1, 5, 4],
    [1, 2, 6, 5],
    [2, 3, 7, 6],
    [0, 4, 7, 3],
    [0, 3, 2, 1],
    [4, 5, 6, 7],
  ],
  [CellType.tetra]: [
    [0, 1, 3],
    [1, 2, 3],
    [0, 3, 2],
    [0, 2, 1],
  ],
  [CellType.wedge]: [
    [0, 1, 4, 3],
    [1, 2, 5, 4],
    [0, 3, 5, 2],
    [0, 2, 1],
    [3, 4, 5],
  ],
  [CellType.pyramid]: [
    [0, 1, 4],
    [1, 2, 4],
    [2, 3, 4],
    [0, 4, 3],
    [0, 3, 2, 1],
  ],
}
const linearOf: Record<number, number> = { 25: 12, 29: 12, 24: 10, 26: 13, 27: 14 }

export const exodus: Format = {
  id: 'Exodus II',
  endings: ['.exo', '.e', '.ex2', '.exii', '.g', '.gen'],
  sniff: (head, name) => isNetcdf(head) || (isHdf5(head) && /\.(exo|e|ex2|exii|g|gen|nc)(-s\d+)?$/i.test(name)),
  open: async (source, folder) => new ExodusFile(await openNetcdf(source, folder), source.name).open(),
}

interface Block {
  name: string
  dimension: number
  type: number
  /** Where each node of the core's order stands in the file's. */
  order: readonly number[]
  nCells: number
  /** Number of its first cell among all. */
  first: number
  index: number
}

class ExodusFile {
  private points: Promise<FloatArray> | undefined
  private readonly blocks: Block[] = []
  private readonly cells = new Map<Block, Promise<Uint32Array>>()

  constructor(
    private readonly data: Netcdf,
    private readonly name: string,
  ) {}

  async open(): Promise<OpenCase> {
    const nPoints = this.countPoints()
    await this.readBlocks()
    const parts: SourcePart[] = this.blocks.map((block) => ({
      ...{
        name: block.name,
        dimension: block.dimension,
        points: nPoints,
        cells: block.nCells,
        cellTypes: { [sourceTypeNames[block.type]!]: block.nCells },
      },
      mesh: () => this.meshOf(block),
      windows: () => this.windowsOf(block, nPoints),
    }))
    const surfaces = await this.sideSets(new Set(parts.map((part) => part.name)))
    const times = (await this.data.variable('time_whole')?.read()) ?? new Float64Array(0)
    const moments = Array.from(times, (time) => timeMoment(time))
    const isTimed = moments.length > 0
    const fields = isTimed ? [...(await this.nodeFields([...parts, ...surfaces], nPoints)), ...(await this.cellFields())] : []
    return new SourceCase({
      format: 'Exodus II',
      name: this.name,
      parts: [...parts, ...surfaces],
      fields: [...joinComponents(fields), ...(await this.numberings([...parts, ...surfaces]))],
      numbers: isTimed ? await this.numbers(moments.length) : [],
      ...(isTimed && { moments }),
    })
  }

  private countPoints(): number {
    const n = this.data.variable('coord')?.shape[1] ?? this.data.variable('coordx')?.shape[0]
    if (n === undefined) throw new FormatError('no-points', `${this.name} has no coordinates: it is no Exodus file, or is damaged.`)
    return n
  }

  private allPoints(): Promise<FloatArray> {
    this.points ??= this.readPoints(0, this.countPoints())
    return this.points
  }

  private async readPoints(from: number, to: number): Promise<FloatArray> {
    const together = this.data.variable('coord')
    const columns: FloatArray[] = []
    if (together) for (let d = 0; d < together.shape[0]!; d++) columns.push(await together.read(d, [from, to]))
    else
      for (const axis of ['x', 'y', 'z'].map((name) => this.data.variable(`coord${name}`)))
        if (axis) columns.push(await axis.read(undefined, [from, to]))
    return pointsOfColumns(columns, to - from)
  }

  private async readBlocks(): Promise<void> {
    const names = (await this.data.variable('eb_names')?.texts()) ?? []
    const ids = await this.data.variable('eb_prop1')?.read()
    let first = 0
    for (let index = 1; ; index++) {
      const variable = this.data.variable(`connect${index}`)
      if (!variable) break
      const [nCells = 0, nNodes = 0] = variable.shape
      const kind = variable.attribute('elem_type') ?? ''
      const found = elementTypes[kind.toUpperCase().slice(0, 3)]?.[nNodes]
      if (!found)
        throw new FormatError('unsupported-cell', `${this.name}: elements “${kind.slice(0, 30)}” with ${nNodes} nodes are not read.`)
      const name = names[index - 1] || `block ${ids?.[index - 1] ?? index}`
      this.blocks.push({ name, dimension: sourceDimension(found.type), type: found.type, order: found.nodes, nCells, first, index })
      first += nCells
    }
    uniqueNames(this.blocks).forEach((block, i) => (this.blocks[i] = block))
  }

  /** Cells of a block in the order of nodes of the core, points from zero. */
  private cellsOf(block: Block): Promise<Uint32Array> {
    let cells = this.cells.get(block)
    if (!cells) this.cells.set(block, (cells = this.readCells(block)))
    return cells
  }

  /** Some writers leave quadratic cells in the order of other formats: nodes that are not between their corners reveal it. */
  private async readCells({ index, order, type }: Block): Promise<Uint32Array> {
    const list = await this.data.variable(`connect${index}`)!.read()
    const cells = orderedRows(list, order, order.length, 1)
    const plain = Uint32Array.from(list, (p) => p - 1)
    const points = cornerEdges(type) && (await this.allPoints())
    return points && midsideError(points, plain, type) < midsideError(points, cells, type) ? plain : cells
  }

  private async meshOf(block: Block): Promise<SelectedMesh> {
    const { type, nCells, order } = block
    const connectivity = (await this.cellsOf(block)).slice()
    const compact = compactPoints(await this.allPoints(), connectivity)
    return {
      ...{ ...compact, nPoints: compact.points.length / 3, connectivity, types: new Uint8Array(nCells).fill(type) },
      ...{
        offsets: Uint32Array.from({ length: nCells + 1 }, (_, c) => c * order.length),
        cellNumbers: Uint32Array.from({ length: nCells }, (_, c) => c),
      },
    }
  }

  /** Of the only block of volumes: it uses all points. Those of quadratic cells are looked at before their order is known. */
  private async windowsOf(block: Block, nPoints: number): Promise<FormatWindows | undefined> {
    const { index, nCells, order, type } = block
    if (cornerEdges(type) || this.blocks.some((other) => other !== block && other.dimension === 3)) return undefined
    const rows: CellTable['rows'] = async (from, to) =>
      orderedRows(await this.data.variable(`connect${index}`)!.read(undefined, [from, to]), order, order.length, 1)
    return tableWindows(this.name, nPoints, (from, to) => this.readPoints(from, to), [{ type, nNodes: order.length, nCells, rows }])
  }

  private async sideSets(taken: ReadonlySet<string>): Promise<SourcePart[]> {
    const names = (await this.data.variable('ss_names')?.texts()) ?? []
    const ids = await this.data.variable('ss_prop1')?.read()
    const found: SourcePart[] = []
    for (let k = 1; ; k++) {
      const [cells, numbers] = [this.data.variable(`elem_ss${k}`), this.data.variable(`side_ss${k}`)]
      // a set that is empty has no variables of its own
      if (!cells || !numbers) {
        if (k > (ids?.length ?? 0)) break
        continue
      }
      const name = names[k - 1] || `side set ${ids?.[k - 1] ?? k}`
      const read = async (): Promise<SelectedMesh> => this.facesOf(await cells.read(), await numbers.read())
      // only sides of shells may be no surface: of volumes all are, and need not be read to be counted
      const isAllFaces = this.blocks.every((block) => block.dimension === 3)
      const nFaces = isAllFaces ? cells.shape[0]! : (await read()).types.length
      if (nFaces)
        found.push({
          name: taken.has(name) ? `${name} sides` : name,
          dimension: 2,
          points: 0,
          cells: nFaces,
          cellTypes: { face: nFaces },
          mesh: read,
        })
    }
    return uniqueNames(found)
  }

  private async facesOf(cells: ArrayLike<number>, numbers: ArrayLike<number>): Promise<SelectedMesh> {
    const points = await this.allPoints()
    const connectivities = new Map<Block, Uint32Array>()
    for (const block of this.blocks) connectivities.set(block, await this.cellsOf(block))
    const types = new Growing(Uint8Array)
    const offsets = new Growing(Uint32Array)
    const nodes = new Growing(Uint32Array)
    offsets.push(0)
    for (let i = 0; i < cells.length; i++) {
      const block = this.blocks.find((b) => cells[i]! > b.first && cells[i]! <= b.first + b.nCells)
      if (!block)
        throw new FormatError(
          'inconsistent',
          `${this.name}: a side set names element ${cells[i]}, which is not there; the file is inconsistent.`,
        )
      const start = (cells[i]! - 1 - block.first) * block.order.length
      const corners = block.dimension === 3 ? sides[linearOf[block.type] ?? block.type]?.[numbers[i]! - 1] : undefined
      // the two sides of a shell are the shell itself; its edges are no surface
      const isShell = block.dimension === 2 && numbers[i]! <= 2
      if (!corners && !isShell) continue
      const local = corners ? sideNodes(block.type, corners) : Array.from(block.order.keys())
      types.push(corners ? sideType(local.length, corners.length) : block.type)
      for (const node of local) nodes.push(connectivities.get(block)![start + node]!)
      offsets.push(nodes.length)
    }
    const connectivity = nodes.finish()
    const own: SourceMesh = { points, types: types.finish(), offsets: offsets.finish(), connectivity }
    const compact = compactPoints(points, connectivity)
    return { ...own, ...compact, nPoints: compact.points.length / 3, cellNumbers: Uint32Array.from(own.types, (_, i) => i) }
  }

  /** What the solver calls nodes and elements, where it is not their order in the file. */
  private async numberings(parts: readonly SourcePart[]): Promise<SourceField[]> {
    const [nodes, cells] = [this.data.variable('node_num_map'), this.data.variable('elem_num_map')]
    const names = parts.map((part) => part.name)
    const ofBlock = ({ name, first, nCells }: Block): SourceField[] =>
      numberFields([name], { cell: async () => cells!.read(undefined, [first, first + nCells]) })
    return [
      ...(nodes && (await isRenumbered(nodes)) ? numberFields(names, { point: () => nodes.read() }) : []),
      // numbers of elements run through all blocks
      ...joinFields(cells && (this.blocks.length > 1 || (await isRenumbered(cells))) ? this.blocks.flatMap(ofBlock) : []),
    ]
  }

  /** Variables of the whole case. */
  private async numbers(nMoments: number): Promise<SourceNumber[]> {
    const names = (await this.data.variable('name_glo_var')?.texts()) ?? []
    const values = names.length ? await this.data.variable('vals_glo_var')?.read() : undefined
    if (!values) return []
    const finite = (x: number | undefined): number | null => (Number.isFinite(x) ? x! : null)
    return names.map((name, i) => ({ name, values: Array.from({ length: nMoments }, (_, m) => finite(values[m * names.length + i])) }))
  }

  private async nodeFields(parts: readonly SourcePart[], n: number): Promise<SourceField[]> {
    const names = (await this.data.variable('name_nod_var')?.texts()) ?? []
    const all = parts.map((part) => part.name)
    const together = this.data.variable('vals_nod_var')
    return names.flatMap((name, i) => {
      const variable = this.data.variable(`vals_nod_var${i + 1}`)
      if (!variable && !together) return []
      const read = async (_: string, moment: number): Promise<FloatArray> => {
        if (variable) return variable.read(moment)
        const values = await together!.read(moment)
        return values.slice(i * n, (i + 1) * n)
      }
      const window: SourceField['window'] = async (from, to, _, moment) => variable?.read(moment, [from, to])
      return [{ name, place: 'point' as const, components: 1, numberType: (variable ?? together)!.numberType, parts: all, read, window }]
    })
  }

  private async cellFields(): Promise<SourceField[]> {
    const names = (await this.data.variable('name_elem_var')?.texts()) ?? []
    return names.flatMap((name, i) => {
      const with_ = this.blocks.filter((block) => this.data.variable(`vals_elem_var${i + 1}eb${block.index}`))
      if (!with_.length) return []
      const variableOf = (part: string): NetcdfVariable =>
        this.data.variable(`vals_elem_var${i + 1}eb${with_.find((b) => b.name === part)!.index}`)!
      const read: SourceField['read'] = (part, moment) => variableOf(part).read(moment)
      const window: SourceField['window'] = (from, to, part, moment) => variableOf(part).read(moment, [from, to])
      return [{ name, place: 'cell' as const, components: 1, parts: with_.map((block) => block.name), read, window }]
    })
  }
}

/** Whether a list of numbers is not 1, 2, 3 …, judged at its ends. */
async function isRenumbered(list: NetcdfVariable): Promise<boolean> {
  const n = list.shape[0] ?? 0
  const differs = async (from: number, to: number): Promise<boolean> =>
    (await list.read(undefined, [from, to])).some((number, i) => number !== from + i + 1)
  return (await differs(0, Math.min(n, ENDS))) || differs(Math.max(0, n - ENDS), n)
}

const ENDS = 10_000
