/** What a surface is for: from the file, guessed by its name or by what flows through it, or set by hand. */
export const roles = ['wall', 'slip wall', 'inlet', 'outlet', 'symmetry', 'periodic', 'interface', 'other'] as const
export type Role = (typeof roles)[number]

const byName: readonly [RegExp, Role][] = [
  // sides of meshes of one layer, as files call them: plane, and around an axis
  [/^empty$/, 'other'],
  // faces inside a region
  [/^face zone$/, 'other'],
  [/^wedge$/, 'symmetry'],
  [/period|cyclic/, 'periodic'],
  [/symm/, 'symmetry'],
  [/interface|coupled|^mapped|^overset/, 'interface'],
  [/(^|[^a-z])(inlets?|inflow|supply|intake|in)([^a-z]|$)/, 'inlet'],
  [/(^|[^a-z])(outlets?|outflow|drain|exhaust|exit|opening|out)([^a-z]|$)/, 'outlet'],
  [/slip|free.?surface|atmosphere/, 'slip wall'],
  [/wall|floor|ground|bottom|skin|blade|hull|pipe|baffle/, 'wall'],
]

/** Role that a name of a surface, or the type that a file gives it, speaks of. */
export function roleByName(name: string): Role | undefined {
  const plain = name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase()
  return byName.find(([words]) => words.test(plain))?.[1]
}

/** What flows through a surface. */
export interface SurfaceFlow {
  /** Volume flow along the normal out of the region. */
  flux: number
  area: number
  /** Mean of the magnitude of the velocity on it. */
  speed: number
}

/** Below this share of the largest speed a surface counts as at rest, or its normal velocity as none. */
const STILL = 0.005

/** @param fastest  largest speed in the case */
export function roleByFlow({ flux, area, speed }: SurfaceFlow, fastest: number): Role | undefined {
  if (!(fastest > 0) || !(area > 0)) return undefined
  if (speed < STILL * fastest) return 'wall'
  const through = flux / area
  if (Math.abs(through) < STILL * speed) return 'slip wall'
  return through < 0 ? 'inlet' : 'outlet'
}
