/**
 * MED files (HDF5): the meshes' cells by dimension, groups as regions and surfaces, fields over time.
 *
 * Arrays are stored component by component. The orientation of cells is opposite to the core's; that is corrected when they
 * are normalised.
 */
import { FormatError } from '../../errors'
import { once } from '../../once'
import type { FloatArray } from '../../mesh/MeshBlock'
import { sourceDimension } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { pointsOfColumns, tableWindows } from '../cellTables'
import type { CellTable } from '../cellTables'
import { interleave } from '../components'
import type { Format, OpenCase } from '../Format'
import { datasetAt, flatRange, groupAt, isHdf5, numberOf, requireDataset, sizeOf, textOf, textRows } from '../hdf5/Hdf5'
import type { Hdf5Dataset, Hdf5Group } from '../hdf5/Hdf5'
import { dimensionNames, joinFloats, pointCloud } from '../meshParts'
import { SourceCase, timeMoment } from '../SourceCase'
import type { SourceField, SourcePart } from '../SourceCase'
import { cornersOf, geometries, partOf } from './layers'
import type { CellBlock, Layer, PointsOf } from './layers'
import { integrationRule, placedPoints } from './integrationPoints'
import type { IntegrationRule } from './integrationPoints'

const GROUP_NAME = 80
const COMPONENT_NAME = 16

export const med: Format = {
  id: 'MED',
  endings: ['.med', '.rmed'],
  sniff: (head, name) => isHdf5(head) && /\.r?med$/i.test(name),
  async open(source, folder) {
    const { root } = await folder.openHdf5(source.name)
    return new MedFile(root, source.name).open()
  },
}

class MedFile {
  private readonly layers = new Map<string, Layer[]>()
  /** The layer that the cells of each part are of. */
  private readonly layerOf = new Map<string, Layer>()
  private readonly cautions: string[] = []

  constructor(
    private readonly root: Hdf5Group,
    private readonly file: string,
  ) {}

  private readonly parts: SourcePart[] = []
  /** Parts of integration points, by the layer and the names of the rules of its cells. */
  private readonly pointParts = new Map<string, string>()

  open(): OpenCase {
    const meshes = groupAt(this.root, 'ENS_MAA')
    if (!meshes) throw new FormatError('no-cells', `${this.file} holds no mesh: there is nothing to show.`)
    const names = meshes.names()
    const { parts } = this
    for (const name of names) {
      const group = groupAt(meshes, name)
      if (!group) continue
      const layers = this.readMesh(group, name)
      this.layers.set(name, layers)
      const prefix = names.length > 1 ? `${name}/` : ''
      layers.forEach((layer, i) => {
        layer.name = i === 0 ? (prefix ? name : 'region') : `${prefix}${dimensionNames[layer.dimension]}`
        this.layerOf.set(layer.name, layer)
        parts.push(partOf(layer, layer.name))
      })
      parts.push(...this.groups(name, layers, prefix, parts))
    }
    const { fields, times } = this.fields()
    const moments = times.map((time) => timeMoment(time))
    return new SourceCase({ format: 'MED', name: this.file, parts, fields, cautions: this.cautions, ...(moments.length && { moments }) })
  }

  private readMesh(group: Hdf5Group, name: string): Layer[] {
    const step = groupAt(group, group.names()[0] ?? '')
    if (!step) throw new FormatError('no-cells', `${this.file}: the mesh “${name}” is empty.`)
    const coordinates = requireDataset(step, 'NOE/COO', this.file)
    const dimension = numberOf(group, 'ESP') || 3
    const nPoints = sizeOf(coordinates) / dimension
    const pointsIn = (from: number, to: number): FloatArray =>
      pointsOfColumns(
        Array.from({ length: dimension }, (_, d) => flatRange(coordinates, d * nPoints + from, d * nPoints + to)),
        to - from,
      )
    const points: PointsOf = { n: nPoints, all: once(() => pointsIn(0, nPoints)), window: pointsIn }
    const cells = groupAt(step, 'MAI')
    const layers: Layer[] = []
    for (const d of [3, 2, 1, 0]) {
      const own = (cells?.names() ?? []).filter((geometry) => geometries[geometry] && sourceDimension(geometries[geometry]![0]) === d)
      if (own.length) layers.push(this.layerOfCells(cells!, own, points, d))
    }
    return layers
  }

  private layerOfCells(cells: Hdf5Group, names: string[], points: PointsOf, dimension: number): Layer {
    const blocks: CellBlock[] = []
    let nCells = 0
    for (const geometry of names) {
      const n = Math.floor(sizeOf(requireDataset(cells, `${geometry}/NOD`, this.file)) / geometries[geometry]![1])
      blocks.push({ geometry, nCells: n, first: nCells, families: datasetAt(cells, `${geometry}/FAM`)?.numbers() })
      nCells += n
    }
    return {
      ...{ name: '', dimension, nPoints: points.n, nCells, blocks },
      mesh: once(() => ({ points: points.all(), ...this.readCells(cells, blocks, nCells) })),
      windows: () =>
        tableWindows(
          this.file,
          points.n,
          async (from, to) => points.window(from, to),
          blocks.map((block) => this.tableOf(cells, block)),
        ),
    }
  }

  private tableOf(cells: Hdf5Group, { geometry, nCells }: CellBlock): CellTable {
    const [type, nNodes] = geometries[geometry]!
    const nodes = requireDataset(cells, `${geometry}/NOD`, this.file)
    const rows: CellTable['rows'] = async (from, to) => {
      const out = new Uint32Array(nNodes * (to - from))
      for (let i = 0; i < nNodes; i++) {
        const column = flatRange(nodes, i * nCells + from, i * nCells + to)
        for (let c = 0; c < column.length; c++) out[c * nNodes + i] = column[c]! - 1
      }
      return out
    }
    return { type, nNodes, nCells, rows }
  }

  private readCells(cells: Hdf5Group, blocks: readonly CellBlock[], nCells: number): Omit<SourceMesh, 'points'> {
    const types = new Uint8Array(nCells)
    const offsets = new Uint32Array(nCells + 1)
    const connectivity = new Uint32Array(blocks.reduce((n, block) => n + block.nCells * geometries[block.geometry]![1], 0))
    let at = 0
    for (const { geometry, nCells: n, first } of blocks) {
      const [type, size] = geometries[geometry]!
      const list = requireDataset(cells, `${geometry}/NOD`, this.file).numbers()
      types.fill(type, first, first + n)
      for (let c = 0; c < n; c++) {
        for (let i = 0; i < size; i++) connectivity[at++] = list[i * n + c]! - 1
        offsets[first + c + 1] = at
      }
    }
    return { types, offsets, connectivity }
  }

  /** A group holds the cells of its families; one that holds all cells of the mesh is the mesh itself. */
  private groups(mesh: string, layers: readonly Layer[], prefix: string, taken: readonly SourcePart[]): SourcePart[] {
    const families = groupAt(this.root, `FAS/${mesh}/ELEME`)
    const numbers = new Map<string, Set<number>>()
    for (const family of families?.names() ?? []) {
      const group = groupAt(families!, family)
      const names = datasetAt(group, 'GRO/NOM')
      if (!group || !names) continue
      for (const name of textRows(names.numbers(), GROUP_NAME))
        numbers.set(name, (numbers.get(name) ?? new Set()).add(numberOf(group, 'NUM')))
    }
    const parts: SourcePart[] = []
    for (const [name, ids] of numbers) {
      for (const layer of layers) {
        const kept: number[] = []
        for (const { families: own, first } of layer.blocks)
          for (let c = 0; c < (own?.length ?? 0); c++) if (ids.has(own![c]!)) kept.push(first + c)
        if (!kept.length || (kept.length === layer.nCells && layer.dimension === layers[0]!.dimension)) continue
        const isTaken = [...taken, ...parts].some((part) => part.name === prefix + name)
        const partName = isTaken ? `${prefix}${name} ${dimensionNames[layer.dimension]}` : prefix + name
        this.layerOf.set(partName, layer)
        parts.push(partOf(layer, partName, Uint32Array.from(kept)))
      }
    }
    return parts
  }

  private fields(): { fields: SourceField[]; times: number[] } {
    const group = groupAt(this.root, 'CHA')
    const steps = new Map<number, number>()
    const found: { name: string; group: Hdf5Group; steps: { group: Hdf5Group; time: number }[] }[] = []
    for (const name of group?.names() ?? []) {
      const field = groupAt(group!, name)
      if (!field) continue
      const own = field
        .names()
        .flatMap((step) => groupAt(field, step) ?? [])
        .map((step) => ({ group: step, time: numberOf(step, 'PDT') || 0 }))
      for (const { time } of own) steps.set(time, 0)
      found.push({ name, group: field, steps: own })
    }
    const times = [...steps.keys()].sort((a, b) => a - b)
    return { times, fields: found.flatMap((field) => this.fieldOf(field.name, field.group, field.steps, times)) }
  }

  private fieldOf(name: string, field: Hdf5Group, steps: { group: Hdf5Group; time: number }[], times: number[]): SourceField[] {
    const mesh = textOf(field, 'MAI') || [...this.layers.keys()][0]!
    const layers = this.layers.get(mesh)
    if (!layers || !steps.length) return []
    const components = numberOf(field, 'NCO') || 1
    const units = splitColumns(textOf(field, 'UNI'))
    const entities = steps[0]!.group.names()
    const isSymmetric = components === 6 && /xx/i.test(textOf(field, 'NOM'))
    const shared = {
      name,
      components,
      unit: units[0] || null,
      moments: steps.map((step) => times.indexOf(step.time)),
      ...(isSymmetric && { kind: 'symmetric tensor' }),
    }
    const stepAt = (moment: number): Hdf5Group => steps.find((step) => step.time === times[moment])!.group
    const partsOf = (list: readonly Layer[]): string[] =>
      [...this.layerOf].filter(([, layer]) => list.includes(layer)).map(([part]) => part)
    const fields: SourceField[] = []
    if (entities.includes('NOE')) {
      fields.push({
        ...shared,
        place: 'point',
        parts: partsOf(layers),
        window: async (from, to, _, moment) => this.pointWindow(stepAt(moment), layers[0]!.nPoints, components, [from, to]),
        read: async (_, moment) => interlaced(this.profiled(stepAt(moment), 'NOE', layers[0]!.nPoints, components), components),
      })
    }
    const layersWith = (entity: string): Layer[] =>
      layers.filter((layer) => layer.blocks.some((block) => entities.includes(`${entity}.${block.geometry}`)))
    const atCorners = layersWith('NOE')
    if (atCorners.length) {
      const sizes = (block: CellBlock): number => geometries[block.geometry]![1]
      const corners: SourceField['corners'] = async (part) => cornersOf(this.layerOf.get(part)!)
      fields.push({
        ...shared,
        place: 'corner',
        parts: partsOf(atCorners),
        corners,
        read: async (part, moment) => this.valuesInCells(stepAt(moment), 'NOE', this.layerOf.get(part)!, components, sizes),
      })
    }
    const inCells = layersWith('MAI')
    if (!inCells.length) return fields
    const first = steps[0]!.group
    const isOne = inCells.every((layer) =>
      layer.blocks.every((block) => this.valuesPerCell(first, `MAI.${block.geometry}`, block.nCells, components) === 1),
    )
    fields.push({
      ...shared,
      place: isOne ? 'cell' : 'integration point',
      parts: partsOf(inCells),
      read: async (part, moment) => this.cellValues(stepAt(moment), 'MAI', this.layerOf.get(part)!, components),
    })
    for (const layer of isOne ? [] : inCells) {
      const points = this.pointsOf(first, layer, components)
      if (points)
        fields.push({
          ...shared,
          place: 'point',
          parts: [points.name],
          read: async (_, moment) => this.valuesInCells(stepAt(moment), 'MAI', layer, components, points.size),
        })
      this.cautions.push(
        `${name} lives on integration points; cells of ${layer.name} show the mean of ` +
          `theirs${points ? `, ${points.name} the values themselves` : ''}.`,
      )
    }
    return fields
  }

  /**
   * The integration points of the cells of a layer as a part, the same for all fields that have them in common; undefined where
   * the file does not say where they are.
   */
  private pointsOf(step: Hdf5Group, layer: Layer, components: number): { name: string; size: (block: CellBlock) => number } | undefined {
    const own = layer.blocks.filter((block) => groupAt(step, `MAI.${block.geometry}`))
    const names = own.map((block) => {
      const group = groupAt(step, `MAI.${block.geometry}`)!
      const profile = groupAt(group, group.names()[0] ?? '')
      return (profile && textOf(profile, 'GAU')) || textOf(group, 'GAU')
    })
    const rules = own.map((block, i) => this.ruleOf(names[i]!, block))
    const size = (block: CellBlock): number =>
      own.includes(block) ? this.valuesPerCell(step, `MAI.${block.geometry}`, block.nCells, components) : 0
    if (rules.some((rule, i) => rule?.length !== size(own[i]!) * geometries[own[i]!.geometry]![1])) return undefined
    const key = `${layer.name}\n${names.join('\n')}`
    let name = this.pointParts.get(key)
    if (!name) {
      const others = [...this.pointParts.keys()].filter((other) => other.startsWith(`${layer.name}\n`)).length
      name = `${layer.name} integration points${others ? ` ${others + 1}` : ''}`
      this.pointParts.set(key, name)
      const n = own.reduce((sum, block) => sum + block.nCells * size(block), 0)
      const mesh = async (): Promise<SourceMesh> =>
        pointCloud(joinFloats(own.map((block, i) => placedPoints(layer.mesh(), block.first, block.nCells, rules[i]!))))
      this.parts.push({ name, dimension: 0, points: n, cells: n, cellTypes: { vertex: n }, mesh })
    }
    return { name, size }
  }

  private ruleOf(name: string, { geometry }: CellBlock): IntegrationRule | undefined {
    const group = name ? groupAt(this.root, `GAUSS/${name}`) : undefined
    const [reference, points] = [datasetAt(group, 'COO'), datasetAt(group, 'GAU')]
    return reference && points && integrationRule(...geometries[geometry]!, reference.numbers(), points.numbers())
  }

  /** Values of all points, where the file has them without a profile. */
  private pointWindow(step: Hdf5Group, n: number, components: number, [from, to]: [number, number]): FloatArray | undefined {
    const group = groupAt(step, 'NOE')
    const { values, list } = group ? this.stored(group) : { values: undefined, list: undefined }
    if (!values || list || sizeOf(values) !== n * components) return undefined
    return interleave(Array.from({ length: components }, (_, c) => flatRange(values, c * n + from, c * n + to)))
  }

  private cellValues(step: Hdf5Group, entity: string, layer: Layer, components: number): FloatArray {
    const out = new Float64Array(components * layer.nCells).fill(NaN)
    for (const { geometry, first, nCells } of layer.blocks) {
      const own = `${entity}.${geometry}`
      if (!groupAt(step, own)) continue
      out.set(interlaced(this.profiled(step, own, nCells, components), components), components * first)
    }
    return out
  }

  /** Several values of each cell, cell by cell; not-a-number for cells that have none. @param size  how many cells of a block have */
  private valuesInCells(
    step: Hdf5Group,
    entity: string,
    { blocks }: Layer,
    components: number,
    size: (block: CellBlock) => number,
  ): FloatArray {
    const lists = blocks.map((block) => {
      const each = size(block)
      const out = new Float64Array(components * each * block.nCells).fill(NaN)
      const own = `${entity}.${block.geometry}`
      const group = groupAt(step, own)
      if (!group || !each) return out
      if (this.valuesPerCell(step, own, block.nCells, components) !== each)
        throw new FormatError('wrong-length', `${this.file}${group.path} has not ${each} values for each cell; the file is inconsistent.`)
      const { values, list } = this.stored(group)
      const stored = interlaced(values.numbers(), components)
      if (!list) return stored
      list.forEach((cell, i) =>
        out.set(stored.subarray(i * each * components, (i + 1) * each * components), (cell - 1) * each * components),
      )
      return out
    })
    return joinFloats(lists)
  }

  /** How many values each cell has: more than one for corners and integration points. */
  private valuesPerCell(step: Hdf5Group, entity: string, nCells: number, components: number): number {
    const group = groupAt(step, entity)
    if (!group) return 1
    const { values, list } = this.stored(group)
    const each = sizeOf(values) / components / (list?.length ?? nCells)
    if (!Number.isInteger(each) || each < 1)
      throw new FormatError(
        'wrong-length',
        `${this.file}${group.path} has ${values.shape.join(' × ')} values of ${components} components for ${nCells} cells; the file ` +
          `is inconsistent.`,
      )
    return each
  }

  /** Values of a group of entities, and the numbers of those that have some, from one; undefined for all. */
  private stored(group: Hdf5Group): { values: Hdf5Dataset; list: FloatArray | undefined } {
    const profile = group.names()[0]
    if (profile === undefined)
      throw new FormatError('missing-array', `${this.file} has no values at ${group.path}; the file is inconsistent.`)
    return { values: requireDataset(group, `${profile}/CO`, this.file), list: datasetAt(this.root, `PROFILS/${profile}/PFL`)?.numbers() }
  }

  /** Values on all entities of a kind, of several per cell the means; those outside the profile are not-a-number. */
  private profiled(step: Hdf5Group, entity: string, n: number, components: number): FloatArray {
    const group = groupAt(step, entity)
    if (!group) throw new FormatError('missing-array', `${this.file} has no values of ${entity} at ${step.path}; the file is inconsistent.`)
    const { values, list } = this.stored(group)
    const means = meansOf(values.numbers(), components, this.valuesPerCell(step, entity, n, components))
    if (!list) return means
    const out = new Float64Array(n * components).fill(NaN)
    for (let c = 0; c < components; c++) for (let i = 0; i < list.length; i++) out[c * n + list[i]! - 1] = means[c * list.length + i]!
    return out
  }
}

/** Means of the values of each cell; both component by component. */
function meansOf(values: FloatArray, components: number, perCell: number): FloatArray {
  if (perCell === 1) return values
  const n = values.length / components / perCell
  const out = new Float64Array(n * components)
  for (let i = 0; i < out.length; i++) {
    for (let k = 0; k < perCell; k++) out[i]! += values[i * perCell + k]! / perCell
  }
  return out
}

/** From component by component to item by item. */
function interlaced(values: FloatArray, components: number): FloatArray {
  const n = values.length / components
  return components === 1 ? values : interleave(Array.from({ length: components }, (_, c) => values.subarray(c * n, (c + 1) * n)))
}

function splitColumns(text: string): string[] {
  return Array.from({ length: Math.ceil(text.length / COMPONENT_NAME) }, (_, i) =>
    text.slice(i * COMPONENT_NAME, (i + 1) * COMPONENT_NAME).trim(),
  )
}
