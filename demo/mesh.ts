/**
 * The mesh of the tank: a polar grid with wedges round the axis and hexahedra elsewhere, lines of the grid on the drain,
 * the inlets and the arm. The arm is cut out of it and meshed with the same lines.
 */
import { CellType } from '../core/mesh/cellTypes'
import { Growing } from '../core/mesh/growing'
import { Numbering } from '../core/mesh/numbering'
import type { SourceMesh } from '../core/mesh/normaliseCells'
import { tank } from './flow'

export interface NamedMesh {
  name: string
  dimension: 2 | 3
  mesh: SourceMesh
  /** For surfaces: the cell of Water (or Arm) each face belongs to. */
  owners?: Uint32Array
}

export interface TankMesh {
  parts: NamedMesh[]
  /** Cells of Water and of Arm. */
  counts: [number, number]
  divisions: { radial: number; drain: number; angular: number; vertical: number }
}

/** Divisions along the radius (four stretches), round and up for about the asked number of cells. */
function divisions(cells: number): { stretches: number[]; angular: number; vertical: number } {
  const scale = Math.cbrt(Math.max(cells, 1) / 200_000)
  const angular = 96 * Math.max(1, Math.round(scale))
  const vertical = 8 * Math.max(1, Math.round(6 * scale))
  const radial = Math.max(6, Math.round(cells / (angular * vertical)))
  const drain = Math.max(3, Math.round(radial * 0.2))
  const arm = Math.max(2, Math.round(radial * 0.06))
  const inner = Math.max(1, Math.round((radial - drain - arm) * 0.55))
  return { stretches: [drain, inner, arm, Math.max(1, radial - drain - arm - inner)], angular, vertical }
}

/** The sixth of the tank about one inlet, without the arm, with the cells that it has in the whole one. */
export function sectorMesh(cells: number): TankMesh {
  const { stretches, angular, vertical } = divisions(cells)
  const radii = radialLines(stretches)
  const grid = new PolarGrid(radii, angular, vertical)
  const water = grid.cells((_, j) => j >= angular / 12 && j < angular / 4)
  return {
    parts: [
      { name: 'Water', dimension: 3, mesh: water.mesh },
      ...surfaces(grid, water, () => false).filter(({ owners }) => owners!.length),
    ],
    counts: [water.mesh.types.length, 0],
    divisions: { radial: radii.length - 1, drain: stretches[0]!, angular, vertical },
  }
}

/** The whole tank with its surfaces; about `cells` cells, at least some 5,000. */
export function tankMesh(cells: number): TankMesh {
  const { stretches, angular, vertical } = divisions(cells)
  const radii = radialLines(stretches)
  const grid = new PolarGrid(radii, angular, vertical)
  const isArm = (i: number, j: number, k: number): boolean => {
    const { arm } = tank
    const r = (radii[i]! + radii[i + 1]!) / 2
    const theta = ((j + 0.5) * 2 * Math.PI) / angular
    const z = ((k + 0.5) * tank.depth) / vertical
    return r > arm.inner && r < arm.outer && theta > arm.start && theta < arm.start + arm.angle && z > arm.tip
  }
  const water = grid.cells((i, j, k) => !isArm(i, j, k))
  const arm = grid.cells(isArm)
  return {
    parts: [
      { name: 'Water', dimension: 3, mesh: water.mesh },
      { name: 'Arm', dimension: 3, mesh: arm.mesh },
      ...surfaces(grid, water, isArm),
    ],
    counts: [water.mesh.types.length, arm.mesh.types.length],
    divisions: { radial: radii.length - 1, drain: stretches[0]!, angular, vertical },
  }
}

function radialLines(stretches: number[]): number[] {
  const ends = [0, tank.drainRadius, tank.arm.inner, tank.arm.outer, tank.radius]
  const lines = [0]
  stretches.forEach((n, s) => {
    for (let i = 1; i <= n; i++) lines.push(ends[s]! + ((ends[s + 1]! - ends[s]!) * i) / n)
  })
  return lines
}

interface GridCells {
  mesh: SourceMesh
  /** Cell number by grid position, -1 where there is none. */
  at: Int32Array
}

class PolarGrid {
  constructor(
    readonly radii: number[],
    readonly angular: number,
    readonly vertical: number,
  ) {}

  get radial(): number {
    return this.radii.length - 1
  }

  /** Points of one height. */
  private get layer(): number {
    return 1 + this.radial * this.angular
  }

  get nPoints(): number {
    return (this.vertical + 1) * this.layer
  }

  /** Number of the grid point, outwards first, then around, then up; all angles of radius 0 are one point. */
  point(i: number, j: number, k: number): number {
    return k * this.layer + (i === 0 ? 0 : i + (j % this.angular) * this.radial)
  }

  position(point: number): [number, number, number] {
    const { layer } = this
    const k = Math.floor(point / layer)
    const inLayer = point % layer
    const z = (tank.depth * k) / this.vertical
    if (inLayer === 0) return [0, 0, z]
    const r = this.radii[1 + ((inLayer - 1) % this.radial)]!
    const theta = (2 * Math.PI * Math.floor((inLayer - 1) / this.radial)) / this.angular
    return [r * Math.cos(theta), r * Math.sin(theta), z]
  }

  cellIndex(i: number, j: number, k: number): number {
    return (k * this.angular + (j % this.angular)) * this.radial + i
  }

  /** Cells for which `isIn` holds, with only the points they use. */
  cells(isIn: (i: number, j: number, k: number) => boolean): GridCells {
    const builder = new MeshBuilder(this)
    const at = new Int32Array(this.radial * this.angular * this.vertical).fill(-1)
    for (let k = 0; k < this.vertical; k++) {
      for (let j = 0; j < this.angular; j++) {
        for (let i = 0; i < this.radial; i++) {
          if (!isIn(i, j, k)) continue
          const p = (di: number, dj: number, dk: number): number => this.point(i + di, j + dj, k + dk)
          at[this.cellIndex(i, j, k)] = builder.add(
            i === 0 ? CellType.wedge : CellType.hexahedron,
            i === 0
              ? [p(0, 0, 0), p(1, 0, 0), p(1, 1, 0), p(0, 0, 1), p(1, 0, 1), p(1, 1, 1)]
              : [p(0, 0, 0), p(1, 0, 0), p(1, 1, 0), p(0, 1, 0), p(0, 0, 1), p(1, 0, 1), p(1, 1, 1), p(0, 1, 1)],
          )
        }
      }
    }
    return { mesh: builder.finish(), at }
  }
}

class MeshBuilder {
  private readonly types = new Growing(Uint8Array)
  private readonly ends = new Growing(Uint32Array)
  private readonly nodes = new Growing(Uint32Array)
  private readonly numbering = new Numbering()

  constructor(private readonly grid: PolarGrid) {
    this.ends.push(0)
  }

  add(type: number, gridPoints: number[]): number {
    for (const gridPoint of gridPoints) this.nodes.push(this.numbering.place(gridPoint))
    this.types.push(type)
    this.ends.push(this.nodes.length)
    return this.types.length - 1
  }

  /** Points in the order of the grid, as the cells are: so the arm is a structured block. */
  finish(): SourceMesh {
    const numbers = this.numbering.numbers()
    const sorted = numbers.slice().sort()
    const points = new Float64Array(3 * sorted.length)
    const placeOf = new Uint32Array(this.grid.nPoints)
    sorted.forEach((number, p) => {
      points.set(this.grid.position(number), 3 * p)
      placeOf[number] = p
    })
    const connectivity = this.nodes.finish().map((n) => placeOf[numbers[n]!]!)
    return { points, types: this.types.finish(), offsets: this.ends.finish(), connectivity }
  }
}

/** Boundary surfaces of Water. Faces wind out of Water. */
function surfaces(grid: PolarGrid, water: GridCells, isArm: (i: number, j: number, k: number) => boolean): NamedMesh[] {
  const lists = new Map<string, { builder: MeshBuilder; owners: number[] }>()
  const names = [
    'Wall',
    'Floor',
    'Free surface',
    ...Array.from({ length: tank.inlets }, (_, n) => `Inlet ${n + 1}`),
    'Drain',
    'Arm skin',
    'Periodic 1',
    'Periodic 2',
  ]
  for (const name of names) lists.set(name, { builder: new MeshBuilder(grid), owners: [] })
  const add = (name: string, points: number[], owner: number): void => {
    const unique = points.filter((p, i) => points.indexOf(p) === i)
    lists.get(name)!.builder.add(unique.length === 3 ? CellType.triangle : CellType.quad, unique)
    lists.get(name)!.owners.push(owner)
  }
  const { radial, angular, vertical } = grid
  for (let k = 0; k < vertical; k++) {
    for (let j = 0; j < angular; j++) {
      for (let i = 0; i < radial; i++) {
        const owner = water.at[grid.cellIndex(i, j, k)]!
        if (owner < 0) continue
        const p = (di: number, dj: number, dk: number): number => grid.point(i + di, j + dj, k + dk)
        const sides: [number, number, number, number[]][] = [
          [i - 1, j, k, [p(0, 0, 0), p(0, 0, 1), p(0, 1, 1), p(0, 1, 0)]],
          [i + 1, j, k, [p(1, 0, 0), p(1, 1, 0), p(1, 1, 1), p(1, 0, 1)]],
          [i, j - 1 + angular, k, [p(0, 0, 0), p(1, 0, 0), p(1, 0, 1), p(0, 0, 1)]],
          [i, j + 1, k, [p(0, 1, 0), p(0, 1, 1), p(1, 1, 1), p(1, 1, 0)]],
          [i, j, k - 1, [p(0, 0, 0), p(0, 1, 0), p(1, 1, 0), p(1, 0, 0)]],
          [i, j, k + 1, [p(0, 0, 1), p(1, 0, 1), p(1, 1, 1), p(0, 1, 1)]],
        ]
        for (const [ni, nj, nk, face] of sides) {
          if (nk < 0) add(grid.radii[i + 1]! <= tank.drainRadius + 1e-9 ? 'Drain' : 'Floor', face, owner)
          else if (nk === vertical) add('Free surface', face, owner)
          else if (ni === radial) add(inletName(j, k, angular, vertical) ?? 'Wall', face, owner)
          else if (ni >= 0 && isArm(ni, nj % angular, nk)) add('Arm skin', face, owner)
          // on the sides of a sector there is water behind no face
          else if (ni >= 0 && water.at[grid.cellIndex(ni, nj, nk)]! < 0) add(nj > j + 1 ? 'Periodic 1' : 'Periodic 2', face, owner)
        }
      }
    }
  }
  const isThere = (name: string): boolean => !name.startsWith('Periodic') || lists.get(name)!.owners.length > 0
  return names.filter(isThere).map((name) => ({
    name,
    dimension: 2,
    mesh: lists.get(name)!.builder.finish(),
    owners: Uint32Array.from(lists.get(name)!.owners),
  }))
}

function inletName(j: number, k: number, angular: number, vertical: number): string | undefined {
  const z = ((k + 0.5) * tank.depth) / vertical
  if (z < tank.inletBottom || z > tank.inletTop) return undefined
  const period = (2 * Math.PI) / tank.inlets
  const theta = ((j + 0.5) * 2 * Math.PI) / angular
  const n = Math.round(theta / period)
  return Math.abs(theta - n * period) < tank.inletAngle / 2 ? `Inlet ${(n % tank.inlets) + 1}` : undefined
}
