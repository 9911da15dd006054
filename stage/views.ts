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
