/**
 * The drawing area: a scene of stage objects under one camera. Draws only when something changed.
 *
 * Knows nothing of studies, steps or requests: it is given geometry and looks.
 */
import CameraControls from 'camera-controls'
import * as THREE from 'three'
import { Accumulator, samplePlaces } from './Accumulator'
import { DepthPeeler } from './DepthPeeler'
import type { PeelScene } from './DepthPeeler'
import { Drawable } from './drawables'
import type { PassUniforms } from './drawables'
import { flipRows } from './pixels'
import type { StageObject } from './StageObject'
import { viewDirections } from './views'
import type { CameraState, ViewName } from './views'

CameraControls.install({ THREE })

/** Pixels that a column of legends takes; as much is left free at the other side. */
const LEGEND_ROOM = 142
/** A model is flat whose depth is a smaller share of its other sides, such as a mesh of one layer. */
const FLAT = 0.05

export interface Picked {
  id: string
  position: [number, number, number]
  /** In the unit of the object's values; not-a-number when it has none. */
  value: number
}

/** Layers told apart on the stage while it stands still and while it moves. */
const STILL_LAYERS = 6
const MOVING_LAYERS = 3
/** Pictures that one is the mean of once the stage stands still, and milliseconds until then. */
const STILL_SAMPLES = 8
const STILL_AFTER = 150
const GROUND = new THREE.Vector4(0xee / 255, 0xf0 / 255, 0xec / 255, 1)
/** CSS pixels per point: 96 to the inch against 72. */
const PIXELS_PER_POINT = 96 / 72

export class Stage implements PeelScene {
  readonly scene = new THREE.Scene()
  readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1000, 1000)
  readonly canvas: HTMLCanvasElement
  hasTranslucent = false
  private readonly renderer: THREE.WebGLRenderer
  private readonly controls: CameraControls
  private readonly shared: PassUniforms = {
    pass: { value: 0 },
    peeled: { value: null },
    solid: { value: null },
    isFirst: { value: true },
    viewport: { value: new THREE.Vector2() },
  }
  private readonly peeler: DepthPeeler
  private readonly accumulator: Accumulator
  /** Pictures that are still wanted for smooth edges, and the timer until the next. */
  private smoothing: { places: [number, number][]; timer: ReturnType<typeof setTimeout> } | undefined
  private readonly pickTarget = new THREE.WebGLRenderTarget(1, 1, {
    type: THREE.FloatType,
    minFilter: THREE.NearestFilter,
    magFilter: THREE.NearestFilter,
  })
  private readonly drawables = new Map<string, Drawable>()
  private readonly watcher: ResizeObserver
  private readonly listeners = new Set<() => void>()
  private nextPickId = 1
  private frame = 0
  private lastTime = 0
  private isMoving = false
  private width = 1
  private height = 1
  private legendColumns = 1
  /** Where the camera stood when everything was brought into view. */
  private fitted = ''

  constructor(private readonly container: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({ antialias: false, alpha: true, premultipliedAlpha: true, preserveDrawingBuffer: true })
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace
    this.canvas = this.renderer.domElement
    this.canvas.style.display = 'block'
    container.appendChild(this.canvas)
    this.peeler = new DepthPeeler(this.renderer, this.shared)
    this.accumulator = new Accumulator(this.renderer)
    this.camera.up.set(0, 0, 1)
    this.controls = new CameraControls(this.camera, this.canvas)
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
      this.invalidate()
    })
    for (const event of ['control', 'update', 'wake'] as const) this.controls.addEventListener(event, () => this.invalidate())
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(container)
    this.resize()
  }

  /** Called after each drawing, for what is laid over the canvas. @returns how to stop */
  onDraw(listener: () => void): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  /** Shows exactly these objects. Unchanged geometry is kept. */
  setObjects(objects: readonly StageObject[]): void {
    const wanted = new Set(objects.map((object) => object.id))
    for (const [id, drawable] of this.drawables) {
      if (wanted.has(id)) continue
      this.scene.remove(drawable.group)
      drawable.dispose()
      this.drawables.delete(id)
    }
    let isChanged = [...this.drawables.keys()].join() !== objects.map((o) => o.id).join()
    for (const object of objects) {
      let drawable = this.drawables.get(object.id)
      if (!drawable) {
        drawable = new Drawable(this.shared, this.nextPickId++)
        this.drawables.set(object.id, drawable)
        this.scene.add(drawable.group)
      }
      isChanged = drawable.update(object, PIXELS_PER_POINT * this.renderer.getPixelRatio()) || isChanged
    }
    if (isChanged) this.invalidate()
  }

  /** Draws at the next frame. */
  invalidate(): void {
    this.stopSmoothing()
    if (!this.frame) this.frame = requestAnimationFrame((time) => this.tick(time))
  }

  private tick(time: number): void {
    this.frame = 0
    const delta = Math.min((time - this.lastTime) / 1000, 0.1)
    this.lastTime = time
    if (this.controls.update(delta)) this.invalidate()
    this.draw()
  }

  private draw(): void {
    this.setDepthRange()
    this.layoutLabels(this.renderer.getDrawingBufferSize(new THREE.Vector2()), PIXELS_PER_POINT * this.renderer.getPixelRatio())
    this.peeler.render(this, this.isMoving ? MOVING_LAYERS : STILL_LAYERS, GROUND, null)
    for (const listener of this.listeners) listener()
    if (!this.isMoving) this.beginSmoothing()
  }

  /** Draws the same a few times more, each a part of a pixel aside, while nothing changes. */
  private beginSmoothing(): void {
    this.stopSmoothing()
    this.smoothing = { places: samplePlaces(STILL_SAMPLES), timer: setTimeout(() => this.smoothNext(true), STILL_AFTER) }
  }

  private smoothNext(isFirst = false): void {
    const [place, ...rest] = this.smoothing?.places ?? []
    if (!place) return
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    if (isFirst) {
      this.accumulator.resize(size.x, size.y)
      this.accumulator.begin()
    }
    this.camera.setViewOffset(size.x, size.y, ...place, size.x, size.y)
    this.accumulator.add((into) => this.peeler.render(this, STILL_LAYERS, GROUND, into))
    this.camera.clearViewOffset()
    // a mean of few moves edges about
    if (!rest.length) this.accumulator.show(null)
    this.smoothing = rest.length ? { places: rest, timer: setTimeout(() => this.smoothNext()) } : undefined
  }

  private stopSmoothing(): void {
    clearTimeout(this.smoothing?.timer)
    this.smoothing = undefined
  }

  /** Numbers keep clear of each other on the whole picture. */
  private layoutLabels(size: THREE.Vector2, pixelsPerPoint: number): void {
    const taken: [number, number, number, number][] = []
    this.scene.updateMatrixWorld()
    for (const { labels } of this.drawables.values()) labels?.layout(this.camera, size, pixelsPerPoint, taken)
  }

  show(isTranslucent: boolean): void {
    this.hasTranslucent = false
    for (const drawable of this.drawables.values()) {
      if (drawable.isTranslucent) this.hasTranslucent = true
      drawable.group.visible = drawable.isTranslucent === isTranslucent
    }
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.container
    if (!clientWidth || !clientHeight) return
    this.width = clientWidth
    this.height = clientHeight
    this.renderer.setPixelRatio(window.devicePixelRatio)
    this.renderer.setSize(clientWidth, clientHeight)
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    this.peeler.resize(size.x, size.y)
    const half = this.camera.top
    this.camera.left = (-half * clientWidth) / clientHeight
    this.camera.right = (half * clientWidth) / clientHeight
    this.camera.bottom = -half
    this.camera.updateProjectionMatrix()
    this.invalidate()
  }

  /** Box of everything shown; undefined when there is nothing. */
  box(): THREE.Box3 | undefined {
    const box = new THREE.Box3()
    for (const drawable of this.drawables.values()) if (!drawable.box.isEmpty()) box.union(drawable.box)
    return box.isEmpty() ? undefined : box
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
    if (n === this.legendColumns) return
    this.legendColumns = n
    if (this.fitted === JSON.stringify(this.cameraState())) this.fit()
  }

  /** The three-quarter view. */
  home(): void {
    const box = this.box()
    if (box) this.lookAt(box.getBoundingSphere(new THREE.Sphere()), new THREE.Vector3(0.3, -1, 0.55).normalize(), box)
  }

  private lookAt(sphere: THREE.Sphere, direction: THREE.Vector3, box: THREE.Box3): void {
    const { center, radius } = sphere
    const at = center.clone().addScaledVector(direction, 3 * radius)
    void this.controls.setLookAt(at.x, at.y, at.z, center.x, center.y, center.z, false)
    this.controls.update(0)
    this.camera.updateMatrixWorld()
    // the box as it lies on the screen, with room for legends at the side
    const seen = new THREE.Box3()
    for (let i = 0; i < 8; i++) {
      const corner = new THREE.Vector3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z)
      seen.expandByPoint(corner.applyMatrix4(this.camera.matrixWorldInverse))
    }
    const size = seen.getSize(new THREE.Vector3())
    const { clientWidth } = this.canvas
    const share = Math.max(1 - ((1 + this.legendColumns) * LEGEND_ROOM) / clientWidth, 0.4)
    const zoom = Math.min(
      (2 * share * this.camera.right) / Math.max(size.x, 1e-12),
      (2 * this.camera.top) / (1.15 * Math.max(size.y, 1e-12)),
    )
    void this.controls.zoomTo(zoom, false)
    this.controls.update(0)
    void this.controls.truck(((this.legendColumns - 1) * LEGEND_ROOM) / 2 / this.scale(), 0, false)
    this.controls.update(0)
    this.fitted = JSON.stringify(this.cameraState())
    this.invalidate()
  }

  /** Near and far just hold the scene: depth is precise whatever the size of the case. */
  private setDepthRange(): void {
    const box = this.box()
    this.camera.updateMatrixWorld()
    if (!box) return
    const sphere = box.getBoundingSphere(new THREE.Sphere())
    const depth = -sphere.center.clone().applyMatrix4(this.camera.matrixWorldInverse).z
    this.camera.near = depth - 1.05 * sphere.radius
    this.camera.far = depth + 1.05 * sphere.radius
    this.camera.updateProjectionMatrix()
  }

  cameraState(): CameraState {
    return {
      position: this.controls.getPosition(new THREE.Vector3()).toArray(),
      target: this.controls.getTarget(new THREE.Vector3()).toArray(),
      zoom: this.camera.zoom,
    }
  }

  setCamera({ position, target, zoom }: CameraState): void {
    const [x, y, z] = position as [number, number, number]
    const [tx, ty, tz] = target as [number, number, number]
    void this.controls.setLookAt(x, y, z, tx, ty, tz, false)
    void this.controls.zoomTo(zoom, false)
    this.controls.update(0)
    this.invalidate()
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
    this.invalidate()
  }

  /** Whether dragging turns the view; handles switch it off while they are dragged. */
  set isTurnable(value: boolean) {
    this.controls.enabled = value
  }

  /** Screen position in CSS pixels of a point of the case. */
  project(point: readonly number[]): [number, number] {
    const p = new THREE.Vector3(point[0], point[1], point[2]).project(this.camera)
    return [((p.x + 1) / 2) * this.width, ((1 - p.y) / 2) * this.height]
  }

  /** Tells whether points are in view, given from an origin. */
  seesPoint(origin: readonly number[]): (x: number, y: number, z: number) => boolean {
    const matrix = new THREE.Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse)
    matrix.multiply(new THREE.Matrix4().makeTranslation(new THREE.Vector3().fromArray(origin)))
    const m = matrix.elements as number[]
    return (x, y, z) =>
      Math.abs(m[0]! * x + m[4]! * y + m[8]! * z + m[12]!) <= 1 && Math.abs(m[1]! * x + m[5]! * y + m[9]! * z + m[13]!) <= 1
  }

  /** Corners of the box of everything shown, in pixels from the top left. @param size  of a picture; the stage when absent */
  outline(size?: readonly [number, number]): [number, number][] {
    const box = this.box()
    if (!box) return []
    const [width, height] = size ?? [this.width, this.height]
    const corners = Array.from(
      { length: 8 },
      (_, i) => new THREE.Vector3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z),
    )
    return this.framed([width, height], () =>
      corners.map((corner): [number, number] => {
        const { x, y } = corner.project(this.camera)
        return [((x + 1) / 2) * width, ((1 - y) / 2) * height]
      }),
    )
  }

  /** With the camera of a picture: the whole view of the stage fits into it, whichever is wider. */
  private framed<T>([width, height]: readonly [number, number], work: () => T): T {
    const { camera } = this
    const kept = { left: camera.left, right: camera.right, top: camera.top, bottom: camera.bottom, zoom: camera.zoom }
    const aspect = width / height
    const top = kept.top * Math.max(1, kept.right / kept.top / aspect)
    Object.assign(camera, { top, bottom: -top, left: -top * aspect, right: top * aspect })
    camera.updateProjectionMatrix()
    const result = work()
    camera.clearViewOffset()
    Object.assign(camera, kept)
    camera.updateProjectionMatrix()
    return result
  }

  /** Point of the case under a screen position, in the plane through `through` that faces the viewer. */
  unproject(x: number, y: number, through: readonly number[]): [number, number, number] {
    const depth = new THREE.Vector3(through[0], through[1], through[2]).project(this.camera).z
    return new THREE.Vector3((2 * x) / this.width - 1, 1 - (2 * y) / this.height, depth).unproject(this.camera).toArray()
  }

  /** Direction from the scene to the viewer. */
  viewDirection(): [number, number, number] {
    return this.camera.getWorldDirection(new THREE.Vector3()).negate().toArray()
  }

  /** CSS pixels of the stage. */
  get size(): [number, number] {
    return [this.width, this.height]
  }

  /** CSS pixels of a point. */
  readonly pointSize = PIXELS_PER_POINT

  /** CSS pixels per length unit. */
  scale(): number {
    return (this.width * this.camera.zoom) / (this.camera.right - this.camera.left)
  }

  /** What lies under a screen position. Things that are seen through count only when nothing else is there. */
  pick(x: number, y: number): Picked | null {
    return this.pickAmong(x, y, (opacity) => opacity >= 0.5) ?? this.pickAmong(x, y, (opacity) => opacity < 0.5)
  }

  private pickAmong(x: number, y: number, counts: (opacity: number) => boolean): Picked | null {
    this.setDepthRange()
    const { renderer, shared, camera } = this
    let any = false
    for (const { group, object } of this.drawables.values()) any = (group.visible = counts(object.look.opacity)) || any
    if (!any) return null
    camera.setViewOffset(this.width, this.height, x, y, 1, 1)
    shared.pass.value = 2
    shared.viewport.value.set(1, 1)
    renderer.setRenderTarget(this.pickTarget)
    renderer.setClearColor(0, 0)
    renderer.clear()
    renderer.render(this.scene, camera)
    const pixel = new Float32Array(4)
    renderer.readRenderTargetPixels(this.pickTarget, 0, 0, 1, 1, pixel)
    const found = [...this.drawables.values()].find((drawable) => drawable.pickId === Math.round(pixel[0]!))
    const position = new THREE.Vector3(0, 0, 2 * pixel[2]! - 1).unproject(camera).toArray()
    camera.clearViewOffset()
    shared.pass.value = 0
    return found && pixel[3] ? { id: found.object.id, position, value: found.object.values ? pixel[1]! : NaN } : null
  }

  /**
   * Draws a piece of a larger picture off the screen.
   *
   * @param full   size of the whole picture in pixels
   * @param piece  the wanted piece of it: x, y, width, height from the top left
   * @param samples  pictures that it is the mean of
   * @returns RGBA rows from top to bottom, colours multiplied by opacity
   */
  drawPiece(
    full: [number, number],
    piece: [number, number, number, number],
    pixelsPerPoint: number,
    ground: THREE.Vector4,
    { layers, samples }: { layers: number; samples: number },
  ): Uint8Array {
    const [width, height] = full
    const [x, y, w, h] = piece
    const { camera } = this
    return this.framed(full, () => {
      this.setDepthRange()
      this.layoutLabels(new THREE.Vector2(width, height), pixelsPerPoint)
      for (const drawable of this.drawables.values()) drawable.setLook(drawable.object.look, drawable.object.values, pixelsPerPoint)
      const into = new THREE.WebGLRenderTarget(w, h)
      this.peeler.resize(w, h)
      this.accumulator.resize(w, h)
      this.accumulator.begin()
      for (const [dx, dy] of samplePlaces(samples)) {
        camera.setViewOffset(width, height, x + dx, y + dy, w, h)
        this.accumulator.add((sample) => this.peeler.render(this, layers, ground, sample))
      }
      this.accumulator.show(into)
      const pixels = new Uint8Array(4 * w * h)
      this.renderer.readRenderTargetPixels(into, 0, 0, w, h, pixels)
      into.dispose()
      this.restore()
      return flipRows(pixels, w, h)
    })
  }

  private restore(): void {
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    this.peeler.resize(size.x, size.y)
    for (const drawable of this.drawables.values())
      drawable.setLook(drawable.object.look, drawable.object.values, PIXELS_PER_POINT * this.renderer.getPixelRatio())
    this.invalidate()
  }

  dispose(): void {
    cancelAnimationFrame(this.frame)
    this.stopSmoothing()
    this.accumulator.dispose()
    this.watcher.disconnect()
    this.controls.dispose()
    for (const drawable of this.drawables.values()) drawable.dispose()
    this.peeler.dispose()
    this.pickTarget.dispose()
    this.renderer.dispose()
    this.canvas.remove()
  }
}
