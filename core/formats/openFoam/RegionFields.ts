/** The fields of one region: on its cells and points, and on its patches and face zones. */
import { FormatError } from '../../errors'
import { parseUnit, sameDimensions } from '../../units/units'
import type { FloatArray } from '../../mesh/MeshBlock'
import { joinFloats } from '../meshParts'
import { overlaps, startsOf } from '../pieces'
import type { SourceField } from '../SourceCase'
import { fieldKind, innerValues, openField, patchValues, readUnit, valuesBehind } from './fields'
import type { FoamField } from './fields'
import { openFoamHead } from './files'
import type { FoamFiles } from './files'
import { netOutflow, zoneValues } from './fluxes'
import { bytesOf } from './Recent'
import type { Recent } from './Recent'
import type { RegionMesh } from './RegionMesh'
import { filesOfTimes } from './times'

/** Parts of a region by what they are, each with the name it has in the files. */
export interface RegionParts {
  volume: string
  patches: ReadonlyMap<string, string>
  zones: ReadonlyMap<string, string>
  /** Patches that nothing passes, the sides of a mesh of one layer: files hold no values on their faces. */
  closed: ReadonlySet<string>
}

export class RegionFields {
  constructor(
    private readonly files: FoamFiles,
    private readonly recent: Recent,
    private readonly mesh: RegionMesh,
    private readonly parts: RegionParts,
  ) {}

  async all(): Promise<SourceField[]> {
    const { times, processors, prefix } = this.mesh
    const found = [...filesOfTimes(this.files.names, processors[0]!, times, prefix)].sort(([a], [b]) => (a < b ? -1 : 1))
    const names = new Set(found.map(([name]) => name))
    const fields: SourceField[] = []
    for (const [name, moments] of found) {
      const head = await openFoamHead(this.files, `${processors[0]}${times[moments[0]!]}/${prefix}${name}`)
      const kind = head && fieldKind(head.class)
      if (!kind) continue
      const unit = readUnit(head)
      // a rate is what passes a whole face, anything else a value there
      const isFlux = kind.place === 'face' && kind.components === 1 && unit !== null && isRate(unit)
      const { volume, patches, zones, closed } = this.parts
      const parts = {
        cell: [volume, ...patches.keys()],
        point: [volume],
        face: [...patches.keys(), ...zones.keys()].filter((part) => !closed.has(part)),
      }[kind.place]
      const common = { components: kind.components, unit, numberType: 'Float64', moments }
      fields.push({
        ...{ ...common, name, parts, place: kind.place === 'face' && !isFlux ? 'boundary face' : kind.place },
        read: (part, moment) => this.values(name, part, moment, isFlux),
        window: (from, to, part, moment) => this.window(name, part, moment, from, to),
      })
      const net = `${name}_net`
      if (!isFlux || names.has(net)) continue
      const outflow = (moment: number, from?: number, to?: number): Promise<FloatArray> => this.outflow(name, moment, from, to)
      fields.push({
        ...common,
        name: net,
        parts: [volume],
        place: 'cell',
        read: (_, moment) => outflow(moment),
        window: (from, to, _, moment) => outflow(moment, from, to),
      })
    }
    return fields
  }

  private field(path: string): Promise<FoamField> {
    return this.recent.get(
      `field ${path}`,
      () => openField(this.files, path),
      ({ patches }) => bytesOf([...patches.values()]) + 1000,
    )
  }

  private pathsOf(name: string, moment: number): string[] {
    return this.mesh.processors.map((processor) => `${processor}${this.mesh.times[moment]}/${this.mesh.prefix}${name}`)
  }

  private async values(name: string, part: string, moment: number, isFlux: boolean): Promise<FloatArray> {
    const { volume, patches, zones } = this.parts
    if (part === volume) return this.inner(name, moment)
    const out: FloatArray[] = []
    const paths = this.pathsOf(name, moment)
    if (patches.has(part)) {
      const boundaries = await this.mesh.boundaries(moment)
      for (const [k, path] of paths.entries()) {
        const field = await this.field(path)
        const behind = (): Promise<FloatArray> =>
          this.recent.get(
            `behind ${path}`,
            () => valuesBehind(field, boundaries[k]!),
            (values) => values.byteLength,
          )
        out.push(await patchValues(field, boundaries[k]!, patches.get(part)!, behind))
      }
    } else {
      const zone = await this.mesh.zone(zones.get(part)!, moment)
      for (const [k, path] of paths.entries()) out.push(await zoneValues(await this.field(path), zone[k]!, path, isFlux))
    }
    return joinFloats(out)
  }

  /** Only of regions: surfaces are small. */
  private async window(name: string, part: string, moment: number, from: number, to: number): Promise<FloatArray | undefined> {
    return part === this.parts.volume ? this.inner(name, moment, from, to) : undefined
  }

  /** Values [from, to) of the region. Headers tell how many each processor has: its mesh need not be read for them. */
  private async inner(name: string, moment: number, from = 0, to = Infinity): Promise<FloatArray> {
    const paths = this.pathsOf(name, moment)
    const { place } = await this.field(paths[0]!)
    const sizes = (await this.mesh.counts(moment)).map(({ nPoints, nCells }) => (place === 'point' ? nPoints : nCells))
    const out: FloatArray[] = []
    for (const [k, start, end] of overlaps(startsOf(sizes), from, to)) {
      const field = await this.field(paths[k]!)
      checkLength(field, sizes[k]!, paths[k]!)
      out.push(await innerValues(field, start, end))
    }
    return joinFloats(out)
  }

  /** What leaves cells [from, to) through all of their faces. */
  private async outflow(name: string, moment: number, from = 0, to = Infinity): Promise<FloatArray> {
    const paths = this.pathsOf(name, moment)
    const sizes = (await this.mesh.counts(moment)).map(({ nCells }) => nCells)
    const out: FloatArray[] = []
    for (const [k, start, end] of overlaps(startsOf(sizes), from, to)) {
      out.push(await netOutflow(await this.field(paths[k]!), await this.mesh.pieceOf(k, moment), paths[k]!, start, end))
    }
    return joinFloats(out)
  }
}

/** @throws FormatError where a list of values inside has not n */
export function checkLength({ internal, place }: FoamField, n: number, path: string): void {
  if (internal.list && internal.list.length !== n)
    throw new FormatError('wrong-length', `${path} has ${internal.list.length} values for ${n} ${place}s; the case is inconsistent.`)
}

/** Volume or mass in time. */
function isRate(unit: string): boolean {
  const found = parseUnit(unit)
  return found !== null && ['m³/s', 'kg/s'].some((rate) => sameDimensions(found.dimensions, parseUnit(rate)!.dimensions))
}
