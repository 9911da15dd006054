/**
 * Where the scene is looked at from: the camera with its controls, what fits into the view, and what lies where on the screen.
 */
import CameraControls from 'camera-controls'
import * as THREE from 'three'
import { anglesOf, directionAt, isSameView, viewDirections } from './views'
import type { Axis, CameraState, ViewAngles, ViewName } from './views'

CameraControls.install({ THREE })

/** Pixels that a column of legends takes; as much is left free at the other side. */
const LEGEND_ROOM = 142
/** Views narrower than this have no room at the other side. */
const NARROW = 700
/** A model is flat whose depth is a smaller share of its other sides, such as a mesh of one layer. */
const FLAT = 0.05
const UP = new THREE.Vector3(0, 0, 1)
const axes: Record<Axis, THREE.Vector3> = {
  x: new THREE.Vector3(1, 0, 0),
  y: new THREE.Vector3(0, 1, 0),
  z: new THREE.Vector3(0, 0, 1),
}

/** Degrees that a perspective view opens with. */
const PERSPECTIVE = 30
/** Nearest of what is drawn in perspective, as a share of the furthest. */
const NEAREST = 1e-3
/** Where what lies behind the viewer is on the screen. */
const AWAY = -1e5

export class Eye {
  /** What the controls move. In perspective the scene is seen from where what lies at the target is as large as here. */
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1000, 1000)
  private readonly perspective = new THREE.PerspectiveCamera()
  /** Degrees from the lower to the upper end of the view; undefined for a parallel one. */
  private degrees: number | undefined
  /** From the target to the viewer, while a picture of another shape is drawn. */
  private distance: number | undefined
  isMoving = false
  private readonly controls: CameraControls
  private width = 1
  private height = 1
  private legendColumns = 1
  /** Where the camera stood when everything was brought into view. */
  private fitted: CameraState | undefined

  /** Raised by each move of its own, not by one that follows another eye. */
  moves = 0
  /** Raised when all was brought into view anew for another size of the stage. */
  refits = 0
  private isFollowing = false

  /**
   * @param element  takes the pointer
   * @param box      of everything shown; undefined when there is nothing
   * @param redraw   called when the scene looks different from here
   */
  constructor(
    element: HTMLElement,
    private readonly box: () => THREE.Box3 | undefined,
    private readonly redraw: () => void,
  ) {
    this.camera.up.copy(UP)
    this.controls = new CameraControls(this.camera, element)
    this.controls.updateCameraUp()
    this.controls.dollyToCursor = true
    this.controls.smoothTime = 0
    this.controls.draggingSmoothTime = 0
    this.controls.mouseButtons.right = CameraControls.ACTION.TRUCK
    this.controls.mouseButtons.middle = CameraControls.ACTION.TRUCK
    this.controls.mouseButtons.wheel = CameraControls.ACTION.ZOOM
    this.controls.addEventListener('controlstart', () => (this.isMoving = true))
    this.controls.addEventListener('controlend', () => {
      this.isMoving = false
      this.changed()
    })
    for (const event of ['control', 'update', 'wake'] as const) this.controls.addEventListener(event, () => this.changed())
  }

  private changed(): void {
    if (!this.isFollowing) this.moves++
    this.redraw()
  }

  /** Looks from where another eye does. */
  follow(other: CameraState, isFitted = false): void {
    this.isFollowing = true
    this.setCamera(other)
    if (isFitted) this.fitted = this.cameraState()
    this.isFollowing = false
  }

  /** @returns whether it goes on moving. @param delta  seconds */
  update(delta: number): boolean {
    return this.controls.update(delta)
  }

  /** CSS pixels of the stage. */
  get size(): [number, number] {
    return [this.width, this.height]
  }

  resize(width: number, height: number): void {
    // nobody moved it: other panes do not follow
    this.isFollowing = true
    const isFitted = this.refit(() => {
      this.width = width
      this.height = height
      const half = this.camera.top
      this.camera.left = (-half * width) / height
      this.camera.right = (half * width) / height
      this.camera.bottom = -half
      this.camera.updateProjectionMatrix()
    })
    if (isFitted) this.refits++
    this.isFollowing = false
  }

  /** Brings everything into view, from where the camera looks now. */
  fit(): void {
    const box = this.box()
    if (!box) return
    const sphere = box.getBoundingSphere(new THREE.Sphere())
    const direction = new THREE.Vector3()
    this.controls.getPosition(direction).sub(this.controls.getTarget(new THREE.Vector3())).normalize()
    if (direction.lengthSq() < 0.5) direction.set(0.35, -1, 0.55).normalize()
    this.lookAt(sphere, direction, box)
  }

  view(name: ViewName): void {
    const box = this.box()
    this.turnUp(UP)
    if (box) this.lookAt(box.getBoundingSphere(new THREE.Sphere()), new THREE.Vector3(...viewDirections[name]).normalize(), box)
  }

  /** The view a new study opens with: three-quarter, or onto the face of a model that is flat. */
  open(): void {
    const size = this.box()?.getSize(new THREE.Vector3()).toArray()
    const flat = size?.findIndex((own, d) => size.every((other, k) => k === d || own < FLAT * other)) ?? -1
    if (flat < 0) this.home()
    else this.view((['right', 'front', 'top'] as const)[flat]!)
  }

  /** The model makes room for columns of legends at the right, unless the view was moved by hand. */
  setLegendColumns(columns: number): void {
    const n = Math.max(1, columns)
    if (n !== this.legendColumns) this.refit(() => (this.legendColumns = n))
  }

  /** Whether everything was brought into view, and nothing moved since. */
  get isFitted(): boolean {
    return this.fitted !== undefined && isSameView(this.fitted, this.cameraState())
  }

  /** What fitted into the view before a change does so after it. @returns whether it did */
  private refit(change: () => void): boolean {
    const wasFitted = this.isFitted
    change()
    if (wasFitted) this.fit()
    return wasFitted
  }

  /** Looks straight at a plane, from the side that its normal points to. */
  along(normal: readonly [number, number, number]): void {
    const direction = new THREE.Vector3(...normal).normalize()
    const box = this.box()
    // seen from above or below, y points up
    this.turnUp(Math.abs(direction.z) > 0.999 ? axes.y : UP)
    if (box && direction.lengthSq() > 0.5) this.lookAt(box.getBoundingSphere(new THREE.Sphere()), direction, box)
  }

  /** Turns the model about an axis of the case through the middle of the view, anticlockwise as seen from its tip. */
  turn(axis: Axis, degrees: number): void {
    // the camera goes round the other way
    const rotation = new THREE.Quaternion().setFromAxisAngle(axes[axis], (-degrees * Math.PI) / 180)
    const target = this.controls.getTarget(new THREE.Vector3())
    const offset = this.controls.getPosition(new THREE.Vector3()).sub(target).applyQuaternion(rotation)
    this.turnUp(this.camera.up.clone().applyQuaternion(rotation))
    const { x, y, z } = target.clone().add(offset)
    void this.controls.setLookAt(x, y, z, target.x, target.y, target.z, false)
    this.controls.update(0)
    this.changed()
  }

  angles(): ViewAngles {
    return anglesOf(this.viewDirection())
  }

  lookFrom(angles: ViewAngles): void {
    const box = this.box()
    if (!box) return
    this.turnUp(UP)
    const direction = new THREE.Vector3(...directionAt(angles))
    const { x, y, z } = this.controls.getTarget(new THREE.Vector3())
    const at = direction.multiplyScalar(3 * box.getBoundingSphere(new THREE.Sphere()).radius)
    void this.controls.setLookAt(x + at.x, y + at.y, z + at.z, x, y, z, false)
    this.controls.update(0)
    this.changed()
  }

  private turnUp(up: THREE.Vector3): void {
    this.camera.up.copy(up)
    this.controls.updateCameraUp()
  }

  /** The three-quarter view. */
  home(): void {
    const box = this.box()
    this.turnUp(UP)
    if (box) this.lookAt(box.getBoundingSphere(new THREE.Sphere()), new THREE.Vector3(0.3, -1, 0.55).normalize(), box)
  }

  private lookAt(sphere: THREE.Sphere, direction: THREE.Vector3, box: THREE.Box3): void {
    const { center, radius } = sphere
    const at = center.clone().addScaledVector(direction, 3 * radius)
    void this.controls.setLookAt(at.x, at.y, at.z, center.x, center.y, center.z, false)
    this.controls.update(0)
    this.camera.updateMatrixWorld()
    // the corners as they lie on the screen, with room for legends at the side; what is nearer looks larger
    // in perspective what is moved aside is seen from another side
    const aside = this.width < NARROW && this.degrees === undefined ? 0 : 1
    // two fifths of a narrow view are for the model at least
    const room = Math.min(LEGEND_ROOM, (0.6 * this.width) / (aside + this.legendColumns))
    const share = 1 - ((aside + this.legendColumns) * room) / this.width
    const { right, top } = this.camera
    const middle = center.clone().applyMatrix4(this.camera.matrixWorldInverse)
    let size = 1e-12
    for (let i = 0; i < 8; i++) {
      const corner = new THREE.Vector3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z)
      const { x, y, z } = corner.applyMatrix4(this.camera.matrixWorldInverse).sub(middle)
      const nearer = (z * Math.tan(this.halfAngle)) / top
      size = Math.max(size, Math.abs(x) / (share * right) + nearer, (1.15 * Math.abs(y)) / top + nearer)
    }
    void this.controls.zoomTo(1 / size, false)
    this.controls.update(0)
    void this.controls.truck(((this.legendColumns - aside) * room) / 2 / this.scale(), 0, false)
    this.controls.update(0)
    this.fitted = this.cameraState()
    this.changed()
  }

  /** Near and far just hold the scene: depth is precise whatever the size of the case. */
  holdDepth(times = 1): void {
    const box = this.box()
    const camera = this.look()
    if (!box) return
    const sphere = box.getBoundingSphere(new THREE.Sphere())
    const depth = -sphere.center.clone().applyMatrix4(camera.matrixWorldInverse).z
    const reach = 1.05 * times * sphere.radius
    if (camera === this.camera) [camera.near, camera.far] = [depth - reach, depth + reach]
    else {
      camera.far = Math.max(depth + reach, reach)
      camera.near = Math.max(depth - reach, NEAREST * camera.far)
    }
    camera.updateProjectionMatrix()
  }

  /** The camera that the scene is seen by, where it is now. */
  look(): THREE.OrthographicCamera | THREE.PerspectiveCamera {
    const { camera, perspective } = this
    camera.updateMatrixWorld()
    if (this.degrees === undefined) return camera
    const distance = this.distance ?? this.perspectiveDistance()
    const target = this.controls.getTarget(new THREE.Vector3())
    perspective.quaternion.copy(camera.quaternion)
    perspective.position.copy(target).addScaledVector(new THREE.Vector3(...this.viewDirection()), distance)
    perspective.fov = (360 / Math.PI) * Math.atan(camera.top / camera.zoom / distance)
    perspective.aspect = camera.right / camera.top
    perspective.updateProjectionMatrix()
    perspective.updateMatrixWorld()
    return perspective
  }

  private get halfAngle(): number {
    return ((this.degrees ?? 0) * Math.PI) / 360
  }

  private perspectiveDistance(): number {
    return this.camera.top / this.camera.zoom / Math.tan(this.halfAngle)
  }

  /** Degrees from the lower to the upper end of the view; undefined for a parallel one, in which lengths can be compared. */
  get angle(): number | undefined {
    return this.degrees
  }

  setAngle(degrees: number | undefined): void {
    this.refit(() => (this.degrees = degrees))
    this.changed()
  }

  togglePerspective(): void {
    this.setAngle(this.degrees === undefined ? PERSPECTIVE : undefined)
  }

  /** Draws a piece of what is seen only. @param full  size of the whole in pixels @param piece  x, y, width, height from the top left */
  within<T>(full: readonly [number, number], piece: readonly [number, number, number, number], work: () => T): T {
    const camera = this.look()
    camera.setViewOffset(...full, ...piece)
    const result = work()
    camera.clearViewOffset()
    return result
  }

  cameraState(): CameraState {
    return {
      position: this.controls.getPosition(new THREE.Vector3()).toArray(),
      target: this.controls.getTarget(new THREE.Vector3()).toArray(),
      zoom: this.camera.zoom,
      ...(this.camera.up.distanceTo(UP) > 1e-9 && { up: this.camera.up.toArray() }),
      ...(this.degrees !== undefined && { angle: this.degrees }),
    }
  }

  setCamera({ position, target, zoom, up, angle }: CameraState): void {
    this.degrees = angle
    this.turnUp(up ? new THREE.Vector3().fromArray(up) : UP)
    const [x, y, z] = position as [number, number, number]
    const [tx, ty, tz] = target as [number, number, number]
    void this.controls.setLookAt(x, y, z, tx, ty, tz, false)
    void this.controls.zoomTo(zoom, false)
    this.controls.update(0)
    this.changed()
  }

  /** Turns, moves and zooms by keys: steps in degrees, shares of the view, and a factor. */
  nudge(change: { turn?: [number, number]; move?: [number, number]; zoom?: number }): void {
    if (change.turn) void this.controls.rotate((change.turn[0] * Math.PI) / 180, (change.turn[1] * Math.PI) / 180, false)
    if (change.move)
      void this.controls.truck(
        (change.move[0] * 2 * this.camera.right) / this.camera.zoom,
        (change.move[1] * 2 * this.camera.top) / this.camera.zoom,
        false,
      )
    if (change.zoom) void this.controls.zoomTo(this.camera.zoom * change.zoom, false)
    this.changed()
  }

  /** Whether dragging turns the view; handles switch it off while they are dragged. */
  set isTurnable(value: boolean) {
    this.controls.enabled = value
  }

  /** Screen position in CSS pixels of a point of the case. */
  project(point: readonly number[]): [number, number] {
    return onScreen(new THREE.Vector3(point[0], point[1], point[2]), this.look(), [this.width, this.height])
  }

  /** Directions of the case that go to the right and up on the screen. */
  screenDirections(): Record<'right' | 'up', [number, number, number]> {
    const turned = (x: number, y: number): [number, number, number] =>
      new THREE.Vector3(x, y, 0).applyQuaternion(this.camera.quaternion).toArray()
    return { right: turned(1, 0), up: turned(0, 1) }
  }

  /** The same in a picture of some size. */
  projectInto(frame: readonly [number, number], point: readonly number[]): [number, number] {
    return this.framed(frame, (camera) => onScreen(new THREE.Vector3(point[0], point[1], point[2]), camera, frame))
  }

  /** Point of the case under a screen position, in the plane through `through` that faces the viewer. */
  unproject(x: number, y: number, through: readonly number[]): [number, number, number] {
    const camera = this.look()
    const depth = new THREE.Vector3(through[0], through[1], through[2]).project(camera).z
    return new THREE.Vector3((2 * x) / this.width - 1, 1 - (2 * y) / this.height, depth).unproject(camera).toArray()
  }

  /** Tells whether points are in view, given from an origin. */
  seesPoint(origin: readonly number[]): (x: number, y: number, z: number) => boolean {
    const camera = this.look()
    const matrix = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse)
    matrix.multiply(new THREE.Matrix4().makeTranslation(new THREE.Vector3().fromArray(origin)))
    const m = matrix.elements as number[]
    return (x, y, z) => {
      const w = m[3]! * x + m[7]! * y + m[11]! * z + m[15]!
      return Math.abs(m[0]! * x + m[4]! * y + m[8]! * z + m[12]!) <= w && Math.abs(m[1]! * x + m[5]! * y + m[9]! * z + m[13]!) <= w
    }
  }

  /** With the camera of a picture: the whole view of the stage fits into it, whichever is wider. */
  framed<T>([width, height]: readonly [number, number], work: (camera: THREE.Camera) => T): T {
    const { camera } = this
    if (this.degrees !== undefined) this.distance = this.perspectiveDistance()
    const kept = { left: camera.left, right: camera.right, top: camera.top, bottom: camera.bottom, zoom: camera.zoom }
    const aspect = width / height
    const top = kept.top * Math.max(1, kept.right / kept.top / aspect)
    Object.assign(camera, { top, bottom: -top, left: -top * aspect, right: top * aspect })
    camera.updateProjectionMatrix()
    const result = work(this.look())
    Object.assign(camera, kept)
    camera.updateProjectionMatrix()
    this.distance = undefined
    return result
  }

  /** Direction from the scene to the viewer. */
  viewDirection(): [number, number, number] {
    return this.camera.getWorldDirection(new THREE.Vector3()).negate().toArray()
  }

  /** CSS pixels per length unit. */
  scale(): number {
    return (this.width * this.camera.zoom) / (this.camera.right - this.camera.left)
  }

  dispose(): void {
    this.controls.dispose()
  }
}

/** Pixels from the top left. */
export function onScreen(point: THREE.Vector3, camera: THREE.Camera, [width, height]: readonly [number, number]): [number, number] {
  const isBehind = camera instanceof THREE.PerspectiveCamera && point.clone().applyMatrix4(camera.matrixWorldInverse).z >= 0
  if (isBehind) return [AWAY, AWAY]
  const { x, y } = point.project(camera)
  return [((x + 1) / 2) * width, ((1 - y) / 2) * height]
}
