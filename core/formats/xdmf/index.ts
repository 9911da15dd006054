/**
 * XDMF 2 and 3: uniform, structured and mixed topologies, spatial and temporal collections; heavy data in HDF5, binary files
 * or the XML itself. Each grid of a spatial collection is a region (or surface) of its own.
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { sourceDimension, sourceTypeNames } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import type { Format, OpenCase } from '../Format'
import { partsByDimension } from '../meshParts'
import { joinFields, SourceCase, STEADY, timeMoment, uniqueNames } from '../SourceCase'
import type { SourceField, SourcePart } from '../SourceCase'
import { childNamed, childrenNamed, readXmlTree } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { DataItems } from './dataItem'
import { resolveIncludes } from './includes'
import { countPoints, describeTopology, geometryKey, gridWindows, readGeometry, readTopology } from './mesh'

/** Meshes kept after they were read: the parts of a grid share one. */
const KEPT = 4

export const xdmf: Format = {
  id: 'XDMF',
  endings: ['.xdmf', '.xmf'],
  sniff: (head) => /<Xdmf[\s>]/.test(new TextDecoder('latin1').decode(head)),
  async open(source, folder) {
    const root = await readXmlTree(source)
    resolveIncludes(root, source.name)
    return new XdmfFile(new DataItems(source, folder, root), root).open()
  },
}

/** The grids of one moment, by the name of the region they are. */
interface Moment {
  time: number | undefined
  grids: { name: string; grid: XmlElement }[]
}

class XdmfFile {
  private readonly kept = new Map<string, Promise<SourceMesh>>()
  private readonly numbers = new Map<string, (number | null)[]>()
  private readonly cautions = new Set<string>()

  constructor(
    private readonly items: DataItems,
    private readonly root: XmlElement,
  ) {}

  async open(): Promise<OpenCase> {
    const domain = childNamed(this.root, 'Domain')
    const moments = await this.momentsOf(childrenNamed(domain, 'Grid'))
    if (!moments.some((moment) => moment.grids.length))
      throw new FormatError('no-cells', `${this.items.name} holds no grid: there is nothing to show.`)
    const parts: SourcePart[] = []
    const fields: SourceField[] = []
    const first = moments.find((moment) => moment.grids.length)!
    for (const { name } of first.grids) {
      const own = await this.partsOf(name, moments)
      parts.push(...own)
      fields.push(
        ...(await this.fieldsOf(
          name,
          own.map((part) => part.name),
          moments,
        )),
      )
    }
    const isTimed = moments.every((moment) => moment.time !== undefined)
    const listed = moments.map((moment, m) =>
      isTimed ? timeMoment(moment.time!) : moments.length > 1 ? { ...STEADY, label: `${m + 1}` } : STEADY,
    )
    const opened = new SourceCase({
      format: 'XDMF',
      name: this.items.name,
      parts: uniqueNames(parts),
      fields: joinFields(fields),
      numbers: [...this.numbers].map(([name, values]) => ({ name, values })),
      cautions: [...this.cautions],
      moments: listed,
    })
    return moments.length > 1 ? opened.compareMeshes() : opened
  }

  /** A temporal collection gives moments; all else is one moment. */
  private async momentsOf(grids: readonly XmlElement[]): Promise<Moment[]> {
    const temporal = grids.find((grid) => grid.attributes['CollectionType'] === 'Temporal')
    if (!temporal) return [{ time: await this.timeOf(grids[0]), grids: await this.leaves(grids) }]
    const times = await this.listedTimes(temporal)
    const moments: Moment[] = []
    for (const [m, grid] of childrenNamed(temporal, 'Grid').entries())
      moments.push({ time: (await this.timeOf(grid)) ?? times[m], grids: await this.leaves([grid]) })
    return moments
  }

  private async leaves(grids: readonly XmlElement[], depth = 0): Promise<{ name: string; grid: XmlElement }[]> {
    const found: { name: string; grid: XmlElement }[] = []
    for (const element of grids) {
      const grid = await this.items.follow(element)
      const kind = grid.attributes['GridType'] ?? grid.attributes['Type'] ?? 'Uniform'
      if (kind === 'Uniform') found.push({ name: grid.attributes['Name'] || 'region', grid })
      else if (depth < 20) found.push(...(await this.leaves(childrenNamed(grid, 'Grid'), depth + 1)))
    }
    // a single grid is the region, even if its name changes between moments
    return depth === 0 && found.length === 1 ? [{ ...found[0]!, name: 'region' }] : uniqueNames(found)
  }

  private async timeOf(grid: XmlElement | undefined): Promise<number | undefined> {
    const value = Number(childNamed(grid, 'Time')?.attributes['Value'] ?? NaN)
    if (Number.isFinite(value)) return value
    const kind = grid?.attributes['GridType'] ?? 'Uniform'
    return kind === 'Uniform' ? undefined : this.timeOf(childNamed(grid, 'Grid'))
  }

  private async listedTimes(temporal: XmlElement): Promise<number[]> {
    const time = childNamed(temporal, 'Time')
    const item = childNamed(time, 'DataItem')
    if (!time || !item) return []
    const list = Array.from(await this.items.read(item))
    if (time.attributes['TimeType'] !== 'HyperSlab') return list
    const [start = 0, step = 1, count = 0] = list
    return Array.from({ length: Math.min(count, 1e6) }, (_, i) => start + i * step)
  }

  private gridAt(moments: readonly Moment[], name: string, moment: number): XmlElement {
    const found = moments[moment]?.grids.find((entry) => entry.name === name)
    if (!found) throw this.items.damaged(`has no grid “${name}” at moment ${moment + 1}`)
    return found.grid
  }

  private async partsOf(name: string, moments: readonly Moment[]): Promise<SourcePart[]> {
    const start = moments.findIndex((moment) => moment.grids.some((entry) => entry.name === name))
    const grid = this.gridAt(moments, name, start)
    const parts = (await this.describe(name, grid)) ?? partsByDimension(name, await this.mesh(grid))
    return parts.map((part) => ({
      ...part,
      mesh: async (moment) => {
        const own = partsByDimension(name, await this.mesh(this.gridAt(moments, name, moment)))
        const found = own.find((p) => p.dimension === part.dimension)
        if (!found) throw this.items.damaged(`has no cells of “${part.name}” at moment ${moment + 1}`)
        return found.mesh(0)
      },
      windows: async (moment) => {
        const { topology, geometry } = await this.shapeOf(this.gridAt(moments, name, moment))
        return parts.length === 1 ? gridWindows(this.items, topology, geometry) : undefined
      },
      version: async (moment) => geometryKey(this.items, this.gridAt(moments, name, moment)),
    }))
  }

  /** The part for a grid with one kind of cells, only from what the file states: its arrays may be large. */
  private async describe(name: string, grid: XmlElement): Promise<Omit<SourcePart, 'mesh'>[] | undefined> {
    const { topology, geometry } = await this.shapeOf(grid)
    const cells = await describeTopology(this.items, topology)
    if (!cells) return undefined
    const { type, nCells } = cells
    return [
      {
        name,
        dimension: sourceDimension(type),
        points: await countPoints(this.items, topology, geometry),
        cells: nCells,
        cellTypes: { [sourceTypeNames[type]!]: nCells },
      },
    ]
  }

  private async shapeOf(grid: XmlElement): Promise<{ topology: XmlElement; geometry: XmlElement }> {
    const topology = childNamed(grid, 'Topology')
    const geometry = childNamed(grid, 'Geometry')
    if (!topology || !geometry) throw this.items.damaged(`has a grid “${grid.attributes['Name'] ?? ''}” without topology or geometry`)
    return { topology: await this.items.follow(topology), geometry: await this.items.follow(geometry) }
  }

  private async mesh(grid: XmlElement): Promise<SourceMesh> {
    const key = await geometryKey(this.items, grid)
    let found = this.kept.get(key)
    if (!found) {
      found = this.readMesh(grid)
      found.catch(() => this.kept.delete(key))
      this.kept.set(key, found)
      if (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value!)
    }
    return found
  }

  private async readMesh(grid: XmlElement): Promise<SourceMesh> {
    const { topology, geometry } = await this.shapeOf(grid)
    const points = await readGeometry(this.items, topology, geometry)
    return { points, ...(await readTopology(this.items, topology)) }
  }

  private async fieldsOf(name: string, parts: string[], moments: readonly Moment[]): Promise<SourceField[]> {
    const found = new Map<string, SourceField & { items: Map<number, XmlElement> }>()
    for (const [m, { grids }] of moments.entries()) {
      const grid = grids.find((entry) => entry.name === name)?.grid
      for (const element of childrenNamed(grid, 'Attribute')) {
        const attribute = await this.items.follow(element)
        const centre = attribute.attributes['Center'] ?? 'Node'
        const place = { Node: 'point', Cell: 'cell' }[centre]
        const item = childNamed(attribute, 'DataItem')
        const fieldName = attribute.attributes['Name'] || 'field'
        if (centre === 'Grid' && item) await this.keepNumber(fieldName, m, moments.length, item)
        else if (!place) this.cautions.add(`${fieldName} lives on ${centre.toLowerCase()}s, which is not read; it is left out.`)
        if (!place || !item) continue
        const items = found.get(`${fieldName} ${place}`)?.items ?? new Map<number, XmlElement>()
        items.set(m, item)
        if (items.size > 1) continue
        const components = await this.components(attribute, item)
        const read = async (_: string, moment: number): Promise<FloatArray> => this.items.read(items.get(moment)!)
        const window: SourceField['window'] = async (from, to, _, moment) =>
          (await this.items.windowOf(items.get(moment)!, components))?.(components * from, components * to)
        found.set(`${fieldName} ${place}`, { name: fieldName, place: place as 'point' | 'cell', components, parts, items, read, window })
      }
    }
    return [...found.values()].map(({ items, ...field }) => ({ ...field, moments: [...items.keys()] }))
  }

  /** A value of a whole grid at one moment; lists of them are left out. */
  private async keepNumber(name: string, moment: number, nMoments: number, item: XmlElement): Promise<void> {
    const [value, ...others] = await this.items.read(item)
    if (others.length || !Number.isFinite(value)) return
    const values = this.numbers.get(name) ?? new Array<number | null>(nMoments).fill(null)
    values[moment] ??= value!
    this.numbers.set(name, values)
  }

  private async components(attribute: XmlElement, item: XmlElement): Promise<number> {
    const kind = attribute.attributes['AttributeType'] ?? attribute.attributes['Type'] ?? 'Scalar'
    const fixed = { Scalar: 1, Vector: 3, Tensor6: 6, Tensor: 9 }[kind]
    if (fixed) return fixed
    const shape = await this.items.shape(item)
    return shape[shape.length - 1] ?? 1
  }
}
