/**
 * The drawing area: a scene of stage objects under one camera. Draws only when something changed.
 *
 * Knows nothing of studies, steps or requests: it is given geometry and looks.
 */
import * as THREE from 'three'
import { Accumulator, samplePlaces } from './Accumulator'
import { DepthPeeler } from './DepthPeeler'
import type { Occlusion, PeelScene } from './DepthPeeler'
import { Drawable } from './drawables'
import type { PassUniforms } from './drawables'
import { Eye, onScreen } from './Eye'
import { flipRows } from './pixels'
import type { StageObject } from './StageObject'

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
/** Fewer and later where one takes longer than this, as it does without graphics hardware. */
const SLOW_MS = 60
const SLOW_SAMPLES = 6
const SLOW_AFTER = 1200
const MOST_PAUSE = 500
/** Of what darkens what is near it, as a share of half the size of the scene; pixels that it is at most, as a share of the width. */
const OCCLUSION = { radius: 0.15, reach: 0.12 }
const GROUND = new THREE.Vector4(0xee / 255, 0xf0 / 255, 0xec / 255, 1)
/** CSS pixels per point: 96 to the inch against 72. */
const PIXELS_PER_POINT = 96 / 72

export class Stage implements PeelScene {
  readonly scene = new THREE.Scene()
  readonly eye: Eye
  readonly canvas: HTMLCanvasElement
  hasTranslucent = false
  occlusion: Occlusion | undefined
  private isOccluded = false
  private readonly renderer: THREE.WebGLRenderer
  private readonly shared: PassUniforms = {
    pass: { value: 0 },
    peeled: { value: null },
    solid: { value: null },
    isFirst: { value: true },
    viewport: { value: new THREE.Vector2() },
  }
  private readonly peeler: DepthPeeler
  private readonly accumulator: Accumulator
  /** How long the last of the pictures for smooth edges took; slow until it is known. */
  private sampleMs = Infinity
  /** Gives up what is still wanted for smooth edges. */
  private stopSmoothing: () => void = () => undefined
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

  constructor(private readonly container: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({ antialias: false, alpha: true, premultipliedAlpha: true, preserveDrawingBuffer: true })
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace
    this.canvas = this.renderer.domElement
    this.canvas.style.display = 'block'
    container.appendChild(this.canvas)
    this.peeler = new DepthPeeler(this.renderer, this.shared)
    this.accumulator = new Accumulator(this.renderer)
    this.eye = new Eye(
      this.canvas,
      () => this.box(),
      () => this.invalidate(),
    )
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

  /** Whether what is near darkens what it hides from the light around. */
  setOcclusion(is: boolean): void {
    if (is === this.isOccluded) return
    this.isOccluded = is
    this.invalidate()
  }

  /** @param i  of the pictures that one is the mean of @param width  of the whole picture */
  private occlude(i: number, width: number, corner: readonly [number, number] = [0, 0]): void {
    const size = this.isOccluded && this.box()?.getSize(new THREE.Vector3()).length()
    const [radius, reach] = [(OCCLUSION.radius * (size || 0)) / 2, Math.round(OCCLUSION.reach * width)]
    this.occlusion = size ? { radius, reach, turn: (0.618 * i) % 1, corner } : undefined
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
    if (this.eye.update(delta)) this.invalidate()
    this.draw()
  }

  private draw(): void {
    this.eye.holdDepth()
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    this.layoutLabels(size, PIXELS_PER_POINT * this.renderer.getPixelRatio())
    this.occlude(0, size.x)
    this.peeler.render(this, this.eye.isMoving ? MOVING_LAYERS : STILL_LAYERS, GROUND, null)
    this.canvas.dataset['edges'] = 'plain'
    for (const listener of this.listeners) listener()
    if (!this.eye.isMoving) this.beginSmoothing()
  }

  /** Draws the same a few times more, each a part of a pixel aside, while nothing changes. */
  private beginSmoothing(): void {
    this.stopSmoothing()
    const timer = setTimeout(
      () => {
        const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
        this.accumulator.resize(size.x, size.y)
        this.accumulator.begin()
        this.smoothNext(0, size)
      },
      this.sampleMs > SLOW_MS ? SLOW_AFTER : STILL_AFTER,
    )
    this.stopSmoothing = () => clearTimeout(timer)
  }

  /** @param i  pictures that are there already */
  private smoothNext(i: number, size: THREE.Vector2): void {
    if (i >= (this.sampleMs > SLOW_MS && i > 0 ? SLOW_SAMPLES : STILL_SAMPLES)) {
      // a mean of few moves edges about
      this.accumulator.show(null)
      this.canvas.dataset['edges'] = 'smooth'
      return
    }
    const start = performance.now()
    this.occlude(i, size.x)
    this.eye.within([size.x, size.y], [...samplePlaces(STILL_SAMPLES)[i]!, size.x, size.y], () =>
      this.accumulator.add((into) => this.peeler.render(this, STILL_LAYERS, GROUND, into)),
    )
    this.stopSmoothing = this.accumulator.whenDrawn(() => {
      this.sampleMs = performance.now() - start
      // others get their turn in between
      const timer = setTimeout(() => this.smoothNext(i + 1, size), Math.min(this.sampleMs, MOST_PAUSE))
      this.stopSmoothing = () => clearTimeout(timer)
    })
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
    this.renderer.setPixelRatio(window.devicePixelRatio)
    this.renderer.setSize(clientWidth, clientHeight)
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    this.peeler.resize(size.x, size.y)
    this.eye.resize(clientWidth, clientHeight)
    this.invalidate()
  }

  get camera(): THREE.Camera {
    return this.eye.look()
  }

  /** Box of everything shown but marks; undefined when there is nothing. */
  box(): THREE.Box3 | undefined {
    const box = new THREE.Box3()
    for (const { box: own, object } of this.drawables.values()) if (!object.isMark && !own.isEmpty()) box.union(own)
    return box.isEmpty() ? undefined : box
  }

  /** Outline of everything shown by its furthest points, in pixels from the top left. @param size  of a picture; the stage when absent */
  outline(size?: readonly [number, number]): [number, number][] {
    const frame = size ?? this.eye.size
    return this.eye.framed(frame, (camera) =>
      [...this.drawables.values()].flatMap(({ support, group }) =>
        Array.from({ length: support.length / 3 }, (_, p) => {
          const point = new THREE.Vector3().fromArray(support, 3 * p).add(group.position)
          return onScreen(point, camera, frame)
        }),
      ),
    )
  }

  /** CSS pixels of a point. */
  readonly pointSize = PIXELS_PER_POINT

  /** What lies under a screen position. Things that are seen through count only when nothing else is there. */
  pick(x: number, y: number): Picked | null {
    return this.pickAmong(x, y, (opacity) => opacity >= 0.5) ?? this.pickAmong(x, y, (opacity) => opacity < 0.5)
  }

  private pickAmong(x: number, y: number, counts: (opacity: number) => boolean): Picked | null {
    this.eye.holdDepth()
    const { renderer, shared } = this
    let any = false
    for (const { group, object } of this.drawables.values()) any = (group.visible = !object.isMark && counts(object.look.opacity)) || any
    if (!any) return null
    shared.pass.value = 2
    shared.viewport.value.set(1, 1)
    const pixel = new Float32Array(4)
    const position = this.eye.within(this.eye.size, [x, y, 1, 1], () => {
      renderer.setRenderTarget(this.pickTarget)
      renderer.setClearColor(0, 0)
      renderer.clear()
      renderer.render(this.scene, this.camera)
      renderer.readRenderTargetPixels(this.pickTarget, 0, 0, 1, 1, pixel)
      return new THREE.Vector3(0, 0, 2 * pixel[2]! - 1).unproject(this.camera).toArray()
    })
    const found = [...this.drawables.values()].find((drawable) => drawable.pickId === Math.round(pixel[0]!))
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
    return this.eye.framed(full, () => {
      this.eye.holdDepth()
      this.layoutLabels(new THREE.Vector2(width, height), pixelsPerPoint)
      for (const drawable of this.drawables.values()) drawable.setLook(drawable.object.look, drawable.object.values, pixelsPerPoint)
      this.occlude(0, width)
      // what darkens the piece may lie beside it
      const beside = this.occlusion?.reach ?? 0
      const [wide, high] = [w + 2 * beside, h + 2 * beside]
      const into = new THREE.WebGLRenderTarget(wide, high)
      this.peeler.resize(wide, high)
      this.accumulator.resize(wide, high)
      this.accumulator.begin()
      samplePlaces(samples).forEach(([dx, dy], i) => {
        this.occlude(i, width, [x, height - y - h])
        this.eye.within(full, [x - beside + dx, y - beside + dy, wide, high], () =>
          this.accumulator.add((sample) => this.peeler.render(this, layers, ground, sample)),
        )
      })
      this.accumulator.show(into)
      const pixels = new Uint8Array(4 * w * h)
      this.renderer.readRenderTargetPixels(into, beside, beside, w, h, pixels)
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
    this.eye.dispose()
    for (const drawable of this.drawables.values()) drawable.dispose()
    this.peeler.dispose()
    this.pickTarget.dispose()
    this.renderer.dispose()
    this.canvas.remove()
  }
}
