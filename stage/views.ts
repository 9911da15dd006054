/** Views that have a name, and where a camera is. */
export const viewNames = ['front', 'back', 'left', 'right', 'top', 'bottom'] as const
export type ViewName = (typeof viewNames)[number]

/** Where the camera stands when a view is named: direction from the middle of the scene. */
export const viewDirections: Record<ViewName, [number, number, number]> = {
  front: [0, -1, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  top: [0, -1e-4, 1],
  bottom: [0, -1e-4, -1],
}

/** Degrees about z from the front, and above the horizon. */
export interface ViewAngles {
  azimuth: number
  elevation: number
}

/** @param direction  from the middle of the scene to the viewer, of length 1 */
export function anglesOf([x, y, z]: readonly [number, number, number]): ViewAngles {
  const degrees = (radians: number): number => (radians * 180) / Math.PI
  return { azimuth: degrees(Math.atan2(x, -y)), elevation: degrees(Math.asin(Math.max(-1, Math.min(1, z)))) }
}

/** Not exactly upright, where there is no way up. */
export function directionAt({ azimuth, elevation }: ViewAngles): [number, number, number] {
  const [a, e] = [(azimuth * Math.PI) / 180, (Math.max(-89.99, Math.min(89.99, elevation)) * Math.PI) / 180]
  return [Math.sin(a) * Math.cos(e), -Math.cos(a) * Math.cos(e), Math.sin(e)]
}

export type Axis = 'x' | 'y' | 'z'

/** Where the camera is: enough to come back to. */
export interface CameraState {
  position: number[]
  target: number[]
  zoom: number
  /** What points up, where that is not z. */
  up?: number[]
  /** Degrees from the lower to the upper end of the view; parallel when absent. */
  angle?: number
}

/** Share of the distance by which rounding moves a camera. */
const ROUNDING = 1e-9

export function isSameView(a: CameraState, b: CameraState): boolean {
  const numbers = ({ position, target, up = [0, 0, 1] }: CameraState): number[] => [...position, ...target, ...up]
  const size = Math.max(...numbers(a).map(Math.abs))
  const isNear = numbers(a).every((x, i) => Math.abs(x - numbers(b)[i]!) <= ROUNDING * size)
  return isNear && Math.abs(a.zoom - b.zoom) <= ROUNDING * a.zoom && a.angle === b.angle
}

/** What of an eye this needs to know. */
interface FittingEye {
  isFitted: boolean
  size: readonly [number, number]
  project(point: readonly number[]): [number, number]
  fit(): void
}

/** What was brought into view stays in view when more is drawn. @param box  of everything that is drawn */
export function keepInView(eye: FittingEye, box: { min: { toArray(): number[] }; max: { toArray(): number[] } } | undefined): void {
  if (!box || !eye.isFitted) return
  const ends = [box.min.toArray(), box.max.toArray()]
  const [width, height] = eye.size
  const isOutside = Array.from({ length: 8 }, (_, i) => eye.project([0, 1, 2].map((d) => ends[(i >> d) & 1]![d]!))).some(
    ([x, y]) => x < 0 || y < 0 || x > width || y > height,
  )
  if (isOutside) eye.fit()
}
