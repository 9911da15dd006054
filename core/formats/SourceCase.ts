/**
 * A case made of parts and fields that a reader describes. What all formats have in common is here: the catalogue, cells
 * of the core's own kinds, and values at points that splitting adds.
 */
import { roleByName } from '../case/roles'
import { FormatError } from '../errors'
import { parseUnit } from '../units/units'
import type { FloatArray } from '../mesh/MeshBlock'
import { normaliseCells } from '../mesh/normaliseCells'
import type { NormalMesh, SourceMesh } from '../mesh/normaliseCells'
import type { SelectedMesh } from '../mesh/selectCells'
import { kindOfComponents, storedPlace } from '../case/catalogue'
import type { Catalogue, Field, Part, Place } from '../case/catalogue'
import type { CornerLists, FormatWindows, OpenCase, SourceValues } from './Format'

export interface SourcePart {
  name: string
  dimension: number
  points: number
  cells: number
  /** Number of cells by the name of their type in the source. */
  cellTypes: Record<string, number>
  ghostCells?: number
  /** What the file says a surface is for, in its own words. */
  role?: string
  abscissa?: Part['abscissa']
  labels?: Part['labels']
  mesh(moment: number): Promise<SourceMesh | SelectedMesh>
  /** The mesh in windows, where the format and the part allow it. */
  windows?(moment: number): Promise<FormatWindows | undefined>
  /** Tells the meshes of moments apart; the same for all when absent. */
  version?(moment: number, isFull: boolean): Promise<string>
}

/** A number that belongs to no part, by moment; null where there is none. */
export interface SourceNumber {
  name: string
  unit?: string | null
  values: (number | null)[]
}

export interface SourceField {
  name: string
  /** All other values are by cells: of surfaces by faces, of integration points their means. */
  place: Exclude<Place, 'whole case'>
  components: number
  numberType?: string
  unit?: string | null
  kind?: string
  parts: string[]
  /** Moments at which it exists; all when absent. */
  moments?: number[]
  /** (components × n) by source point or cell of the part. */
  read(part: string, moment: number): Promise<FloatArray>
  /** Of a field at corners: what its values belong to, in their order. */
  corners?(part: string, moment: number): Promise<CornerLists>
  /** Values [from, to) where they can be read so. */
  window?(from: number, to: number, part: string, moment: number): Promise<FloatArray | undefined>
}

export interface SourceMoment {
  kind: string
  label: string
  value: number | null
  unit: string | null
}

export interface SourceDescription {
  format: string
  /** File name, for messages. */
  name: string
  lengthUnit?: string | null
  parts: SourcePart[]
  fields: SourceField[]
  /** Of the whole case. */
  numbers?: SourceNumber[]
  moments?: SourceMoment[]
  cautions?: string[]
}

export const STEADY: SourceMoment = { kind: 'index', label: 'steady', value: null, unit: null }

export function timeMoment(time: number, unit = 's'): SourceMoment {
  return { kind: 'time', label: `${time}`, value: time, unit }
}

export class SourceCase implements OpenCase {
  readonly catalogue: Catalogue
  private readonly parts: Map<string, SourcePart>

  /** @throws FormatError when there is nothing in it */
  constructor(private readonly source: SourceDescription) {
    if (!source.parts.some((part) => part.cells))
      throw new FormatError('no-cells', `${source.name} holds no cells: there is nothing to show.`)
    const parts = source.parts.filter((part) => part.cells)
    const cautions = [
      ...(source.cautions ?? []),
      ...source.parts.filter((part) => !part.cells).map((part) => `${part.name} has no cells and is left out.`),
    ]
    for (const part of parts) if (part.ghostCells) cautions.push(`${part.ghostCells} ghost or hidden cells of ${part.name} are left out.`)
    this.parts = new Map(parts.map((part) => [part.name, part]))
    const moments = source.moments?.length ? source.moments : [STEADY]
    const lengthUnit = source.lengthUnit && parseUnit(source.lengthUnit) ? source.lengthUnit : null
    this.catalogue = {
      format: source.format,
      lengthUnit,
      lengthUnitFrom: lengthUnit ? 'file' : 'guess',
      timeUnit: moments.find((m) => m.kind === 'time')?.unit ?? 's',
      parts: parts.map(({ name, dimension, points, cells, cellTypes, ghostCells, role, abscissa, labels }) => ({
        ...{ name, dimension, points, cells, cellTypes, bounds: [null, null, null, null, null, null] },
        ...(ghostCells && { ghostCells }),
        ...(abscissa && { abscissa }),
        ...(labels && { labels }),
        ...(role !== undefined && roleByName(role) && { role: { is: roleByName(role)!, from: 'file' as const } }),
      })),
      sets: [],
      interfaces: [],
      fields: [
        ...source.fields.map((field) => this.describeField(field, moments.length)).filter((field) => field.parts.length),
        ...(source.numbers ?? []).map(describeNumber),
      ],
      moments: moments.map((moment, index) => ({ index, ...moment, topology: 0, coordinates: 0 })),
      cautions,
    }
  }

  /** Reads which moments share a mesh. Needed only where meshes may change. */
  async compareMeshes(): Promise<this> {
    const versions = new Map<string, number>()
    for (const moment of this.catalogue.moments) {
      const key = (await Promise.all([...this.parts.keys()].map((part) => this.meshKey(part, moment.index)))).join()
      if (!versions.has(key)) versions.set(key, versions.size)
      moment.topology = moment.coordinates = versions.get(key)!
    }
    return this
  }

  private describeField(field: SourceField, nMoments: number): Field {
    const unit = field.unit && parseUnit(field.unit) ? field.unit : null
    return {
      name: field.name,
      place: field.place,
      kind: field.kind ?? kindOfComponents(field.components),
      components: field.components,
      numberType: field.numberType ?? 'Float64',
      unit,
      ...(unit && { unitFrom: 'file' as const }),
      parts: field.parts.filter((name) => this.parts.has(name)),
      moments: field.moments ?? Array.from({ length: nMoments }, (_, m) => m),
    }
  }

  private part(name: string): SourcePart {
    const part = this.parts.get(name)
    if (!part) throw new FormatError('no-part', `${this.source.name} has no part “${name}”; it has ${[...this.parts.keys()].join(', ')}.`)
    return part
  }

  async mesh(name: string, moment: number): Promise<NormalMesh> {
    const source = await this.part(name).mesh(moment)
    const mesh = normaliseCells(source, `${this.source.name}, ${name}`)
    if ('cellNumbers' in source)
      for (let c = 0; c < mesh.cellNumbers.length; c++) mesh.cellNumbers[c] = source.cellNumbers[mesh.cellNumbers[c]!]!
    const sources = 'pointSources' in source && source.pointSources && { pointSources: source.pointSources }
    return { ...mesh, ...sources, ...(this.hasCorners(name) && { hasOwnCorners: true }) }
  }

  /** Whether a field of a part jumps between its cells. */
  private hasCorners(part: string): boolean {
    return this.source.fields.some((field) => field.place === 'corner' && field.parts.includes(part))
  }

  async values(name: string, fieldName: string, moment: number): Promise<SourceValues> {
    const field = this.field(name, fieldName)
    if (!field) throw new FormatError('no-field', `${name} has no field “${fieldName}”.`)
    const shared = { values: await field.read(name, moment), components: field.components }
    return field.corners
      ? { ...shared, place: 'corner', corners: await field.corners(name, moment) }
      : { ...shared, place: storedPlace(field.place) }
  }

  private field(part: string, name: string): SourceField | undefined {
    return this.source.fields.find((f) => f.name === name && f.parts.includes(part))
  }

  async windows(name: string, moment: number): Promise<FormatWindows | undefined> {
    const windows = await this.part(name).windows?.(moment)
    return windows && this.hasCorners(name) ? { ...windows, hasOwnCorners: true } : windows
  }

  async valuesWindow(name: string, fieldName: string, moment: number, from: number, to: number): Promise<FloatArray | undefined> {
    return this.field(name, fieldName)?.window?.(from, to, name, moment)
  }

  async meshKey(name: string, moment: number, isFull = false): Promise<string> {
    return (await this.part(name).version?.(moment, isFull)) ?? 'fixed'
  }
}

function describeNumber({ name, unit = null, values }: SourceNumber): Field {
  const moments = values.flatMap((value, m) => (value === null ? [] : [m]))
  return {
    name,
    place: 'whole case',
    kind: 'scalar',
    components: 1,
    numberType: 'Float64',
    unit: unit && parseUnit(unit) ? unit : null,
    parts: [],
    moments,
    values,
  }
}

/** Names made different by a number behind the second and later ones. */
export function uniqueNames<T extends { name: string }>(items: readonly T[]): T[] {
  const used = new Map<string, number>()
  return items.map((item) => {
    const n = (used.get(item.name) ?? 0) + 1
    used.set(item.name, n)
    return n === 1 ? item : { ...item, name: `${item.name} ${n}` }
  })
}

/** What the solver calls points and cells: fields that are the same at all moments. @param numbers  of all of the source */
export function numberFields(parts: string[], numbers: Partial<Record<'point' | 'cell', () => Promise<Iterable<number>>>>): SourceField[] {
  return Object.entries(numbers).map(([place, own]) => ({
    ...{ name: place === 'point' ? 'node number' : 'cell number', place: place as 'point' | 'cell', components: 1 },
    ...{ unit: '1', numberType: 'Int32', parts, read: async () => Float64Array.from(await own()) },
  }))
}

/** One field for what has the same name, place and size on several parts. */
export function joinFields(fields: readonly SourceField[]): SourceField[] {
  const joined = new Map<string, SourceField>()
  for (const field of fields) {
    const key = `${field.name}\n${field.place}\n${field.components}`
    const known = joined.get(key)
    const own = (part: string): SourceField => (known!.parts.includes(part) ? known! : field)
    const read: SourceField['read'] = (part, moment) => own(part).read(part, moment)
    const window: SourceField['window'] = async (from, to, part, moment) => own(part).window?.(from, to, part, moment)
    joined.set(key, known ? { ...known, parts: [...known.parts, ...field.parts], read, window } : field)
  }
  return [...joined.values()]
}
