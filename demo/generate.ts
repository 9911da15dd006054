/** Writes the demo data: cases of the rearing tank as `.vtm`, and beside each what is known of it exactly. */
import { mkdir, open, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { FloatArray } from '../core/mesh/MeshBlock'
import { writeVtk, writeVtm } from '../core/formats/write/vtkXml'
import type { WriteField } from '../core/formats/write/vtkXml'
import { TankFlow, tank } from './flow'
import type { Operation } from './flow'
import { sectorMesh, tankMesh } from './mesh'
import type { NamedMesh, TankMesh } from './mesh'
import { writeSideData } from './sideData'

export interface DemoCase {
  id: string
  title: string
  operation: Operation
  /** Seconds between stored times and their number; one steady moment when absent. */
  times?: { step: number; count: number }
  /** One of those that are compared. */
  isCompared?: boolean
  isSector?: boolean
}

export const demoCases: readonly DemoCase[] = [
  { id: 'tank-40', title: '40 L/s', operation: { flow: 0.04, swirl: 0.28 }, isCompared: true },
  { id: 'tank-60', title: '60 L/s', operation: { flow: 0.06, swirl: 0.41 }, isCompared: true },
  { id: 'tank-80', title: '80 L/s', operation: { flow: 0.08, swirl: 0.54 }, isCompared: true },
  {
    id: 'tank-wandering',
    title: '40 L/s, wandering',
    operation: { flow: 0.04, swirl: 0.28, wander: { size: 0.12, angle: 0 } },
    times: { step: 5, count: 24 },
  },
  { id: 'tank-sector', title: '40 L/s, 60° sector', operation: { flow: 0.04, swirl: 0.28, hasNoArm: true }, isSector: true },
]

/** Cells of the transient case as a share of the steady ones: it has several times to store. */
const TRANSIENT_SHARE = 0.1
const WRITE = 2 ** 30
/** Above so many cells of Water values are single, as large runs store them. */
const SINGLE_FROM = 5e6

/** What is known of a case beforehand, with the accuracy to be expected of it on this mesh. */
export interface ExactValues {
  case: string
  volume: { Water: number; Arm: number }
  areas: Record<string, number>
  /** m³/s; out through the drain, in through all inlets. Second order in the cell size. */
  flow: { value: number; relativeAccuracy: number }
  centroid: { z: number }
  probes: { at: number[]; U: number[]; T: number; age: number }[]
  /** Followed through the closed form in small steps. */
  streamline: { seed: number[]; length: number; end: number[]; accuracy: number }
}

/**
 * Writes all demo cases below a folder, with what was measured beside them.
 *
 * @param cells  of each steady case; the transient one has a tenth of them unless it is made alone
 * @param only   id of the one case to make
 * @returns relative names of what can be brought in: one file per steady case, all files of a series
 */
export async function generateDemo(folder: string, cells: number, only?: string): Promise<{ demo: DemoCase; files: string[] }[]> {
  const written: { demo: DemoCase; files: string[] }[] = []
  for (const demo of demoCases.filter(({ id }) => only === undefined || id === only)) {
    const mesh = demo.isSector ? sectorMesh(cells) : tankMesh(demo.times && !only ? cells * TRANSIENT_SHARE : cells)
    await mkdir(join(folder, demo.id), { recursive: true })
    const files: string[] = []
    const count = demo.times?.count ?? 1
    for (let m = 0; m < count; m++) {
      const time = demo.times && m * demo.times.step
      const stem = demo.times ? `tank_${String(m).padStart(4, '0')}` : 'tank'
      files.push(await writeMoment(join(folder, demo.id), stem, mesh, atTime(demo, m), time).then((name) => `${demo.id}/${name}`))
    }
    if (!demo.isSector) await writeFile(join(folder, demo.id, 'exact.json'), JSON.stringify(exactValues(demo, mesh), null, 2))
    written.push({ demo, files })
  }
  if (only === undefined) await writeSideData(folder)
  return written
}

function atTime({ operation, times }: DemoCase, m: number): TankFlow {
  if (!operation.wander || !times) return new TankFlow(operation)
  return new TankFlow({ ...operation, wander: { ...operation.wander, angle: (2 * Math.PI * m) / times.count } })
}

async function writeMoment(folder: string, stem: string, mesh: TankMesh, flow: TankFlow, time?: number): Promise<string> {
  const blocks: { name: string; file: string }[] = []
  const isSingle = mesh.counts[0] > SINGLE_FROM
  const stored = <T extends FloatArray>(values: T): FloatArray => (isSingle ? Float32Array.from(values) : values)
  const water = mesh.parts[0]!
  const centres = cellCentres(water)
  for (const part of mesh.parts) {
    const ending = part.dimension === 3 ? 'vtu' : 'vtp'
    const file = `${stem} ${part.name.toLowerCase()}.${ending}`.replaceAll(' ', '-')
    const fields =
      part.name === 'Arm' ? armFields(part, flow) : waterFields(part, flow, part.owners ? gatherCentres(centres, part.owners) : centres)
    const handle = await open(join(folder, file), 'w')
    const single = { ...part.mesh, points: stored(part.mesh.points) }
    const values = fields.map((field) => ({ ...field, values: stored(field.values) }))
    for (const bytes of writeVtk(single, values, {
      kind: part.dimension === 3 ? 'vtu' : 'vtp',
      lengthUnit: 'm',
      ...(time !== undefined && { time }),
    })) {
      // one write takes less than 2 GiB
      for (let at = 0; at < bytes.length; at += WRITE) await handle.write(bytes.subarray(at, at + WRITE))
    }
    await handle.close()
    blocks.push({ name: part.name, file })
  }
  await writeFile(join(folder, `${stem}.vtm`), writeVtm(blocks))
  return `${stem}.vtm`
}

function waterFields({ mesh }: NamedMesh, flow: TankFlow, centres: Float64Array): WriteField[] {
  const p = mesh.points
  const scalar = (f: (x: number, y: number, z: number) => number): Float64Array => {
    const out = new Float64Array(p.length / 3)
    for (let i = 0; i < out.length; i++) out[i] = f(p[3 * i]!, p[3 * i + 1]!, p[3 * i + 2]!)
    return out
  }
  const velocity = new Float64Array(p.length)
  for (let i = 0; i < p.length; i += 3) velocity.set(flow.velocity(p[i]!, p[i + 1]!, p[i + 2]!), i)
  const pressure = new Float64Array(centres.length / 3)
  for (let c = 0; c < pressure.length; c++) pressure[c] = flow.pressure(centres[3 * c]!, centres[3 * c + 1]!, centres[3 * c + 2]!)
  return [
    { name: 'U', place: 'point', components: 3, values: velocity, unit: 'm/s' },
    { name: 'T', place: 'point', components: 1, values: scalar((x, y, z) => flow.temperature(x, y, z)), unit: 'K' },
    { name: 'age', place: 'point', components: 1, values: scalar((x, y, z) => flow.age(x, y, z)), unit: 's' },
    { name: 'k', place: 'point', components: 1, values: scalar((x, y, z) => flow.turbulence(x, y, z)), unit: 'm²/s²' },
    { name: 'p', place: 'cell', components: 1, values: pressure, unit: 'Pa' },
  ]
}

function armFields({ mesh }: NamedMesh, flow: TankFlow): WriteField[] {
  const p = mesh.points
  const n = p.length / 3
  const displacement = new Float64Array(3 * n)
  const stress = new Float64Array(6 * n)
  for (let i = 0; i < n; i++) {
    const at = [p[3 * i]!, p[3 * i + 1]!, p[3 * i + 2]!] as const
    displacement.set(flow.displacement(...at), 3 * i)
    stress.set(flow.stress(...at), 6 * i)
  }
  return [
    { name: 'displacement', place: 'point', components: 3, values: displacement, unit: 'm' },
    { name: 'stress', place: 'point', components: 6, values: stress, unit: 'Pa' },
  ]
}

function cellCentres({ mesh }: NamedMesh): Float64Array {
  const { points, offsets, connectivity } = mesh
  const centres = new Float64Array(3 * mesh.types.length)
  for (let c = 0; c < mesh.types.length; c++) {
    const n = offsets[c + 1]! - offsets[c]!
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) {
      for (let d = 0; d < 3; d++) centres[3 * c + d]! += points[3 * connectivity[i]! + d]! / n
    }
  }
  return centres
}

function gatherCentres(centres: Float64Array, owners: Uint32Array): Float64Array {
  const out = new Float64Array(3 * owners.length)
  owners.forEach((cell, i) => out.set(centres.subarray(3 * cell, 3 * cell + 3), 3 * i))
  return out
}

function exactValues(demo: DemoCase, { divisions }: TankMesh): ExactValues {
  const { radius, depth, drainRadius, arm } = tank
  const { angular } = divisions
  /** Area of the regular polygon inscribed in a circle: the mesh has straight edges. */
  const disc = (r: number): number => (angular / 2) * r * r * Math.sin((2 * Math.PI) / angular)
  const chord = (r: number): number => 2 * r * Math.sin(Math.PI / angular)
  const sectors = Math.round((arm.angle * angular) / (2 * Math.PI))
  const armFoot = ((disc(arm.outer) - disc(arm.inner)) * sectors) / angular
  const armVolume = armFoot * (depth - arm.tip)
  const flow = atTime(demo, 0)
  const seed = [2, 0, 1.2]
  const length = 6
  return {
    case: demo.id,
    volume: { Water: disc(radius) * depth - armVolume, Arm: armVolume },
    areas: {
      Drain: disc(drainRadius),
      Floor: disc(radius) - disc(drainRadius),
      'Free surface': disc(radius) - armFoot,
      Wall: angular * chord(radius) * depth - 6 * inletArea(angular),
      'Inlet 1': inletArea(angular),
    },
    flow: { value: demo.operation.flow, relativeAccuracy: 0.5 / divisions.drain ** 2 + 20 / angular ** 2 },
    centroid: { z: (disc(radius) * depth * (depth / 2) - armVolume * ((depth + arm.tip) / 2)) / (disc(radius) * depth - armVolume) },
    probes: [
      [2, 0, 1.2],
      [0, 2, 1.2],
      [-1, -1, 0.6],
      [0, 0, 1.2],
    ].map(([x, y, z]) => ({
      at: [x!, y!, z!],
      U: flow.velocity(x!, y!, z!),
      T: flow.temperature(x!, y!, z!),
      age: flow.age(x!, y!, z!),
    })),
    streamline: {
      seed,
      length,
      end: followExactly(flow, seed, length),
      accuracy: 40 / Math.min(divisions.radial, angular / 2, divisions.vertical) ** 2,
    },
  }
}

function inletArea(angular: number): number {
  const segments = Math.round((tank.inletAngle * angular) / (2 * Math.PI))
  return segments * 2 * tank.radius * Math.sin(Math.PI / angular) * (tank.inletTop - tank.inletBottom)
}

/** End of a line of given length through the closed form. */
function followExactly(flow: TankFlow, seed: number[], length: number): number[] {
  const rate = (at: number[]): number[] => {
    const u = flow.velocity(at[0]!, at[1]!, at[2]!)
    const speed = Math.hypot(...u)
    return u.map((c) => c / speed)
  }
  return integrated(rate, seed, length)
}

/** Where a rate of change leads to; classical Runge–Kutta, 20,000 steps. */
export function integrated(rate: (at: number[]) => number[], from: number[], over: number): number[] {
  const n = 20_000
  const h = over / n
  let x = from
  const plus = (a: number[], b: number[], s: number): number[] => a.map((c, d) => c + s * b[d]!)
  for (let i = 0; i < n; i++) {
    const k1 = rate(x)
    const k2 = rate(plus(x, k1, h / 2))
    const k3 = rate(plus(x, k2, h / 2))
    const k4 = rate(plus(x, k3, h))
    x = x.map((c, d) => c + (h / 6) * (k1[d]! + 2 * k2[d]! + 2 * k3[d]! + k4[d]!))
  }
  return x
}
