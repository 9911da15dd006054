/**
 * A drawing area: a scene of stage objects under one camera, in its piece of a canvas. Draws only when something changed.
 *
 * Knows nothing of studies, steps or requests: it is given geometry and looks.
 */
import * as THREE from 'three'
import { Accumulator, samplePlaces } from './Accumulator'
import { DepthPeeler } from './DepthPeeler'
import type { Occlusion, PeelScene } from './DepthPeeler'
import { Drawable } from './drawables'
import { Eye, onScreen } from './Eye'
import type { Area } from './FullScreen'
import { flipRows, PIXELS_PER_POINT } from './pixels'
import { StageCanvas } from './StageCanvas'
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
/** Of a whole swing of what is displaced. */
const SWING_MS = 2000

export class Stage implements PeelScene {
  readonly scene = new THREE.Scene()
  readonly eye: Eye
  readonly canvas: StageCanvas
  hasTranslucent = false
  occlusion: Occlusion | undefined
  private isOccluded = false
  private isSwinging = false
  /** Share of the width from which on what is compared with is drawn instead; 1 for nowhere. */
  private swipe = 1
  /** Whether that is what is drawn now. */
  private isOther = false
  private readonly renderer: THREE.WebGLRenderer
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
  private readonly forget: () => void
  private readonly listeners = new Set<() => void>()
  private nextPickId = 1
  private frame = 0
  private lastTime = 0

  /**
   * @param element  what it is seen through; it takes the pointer
   * @param own      the canvas that it draws into, which lies behind the element; one of its own when absent
   */
  constructor(
    readonly element: HTMLElement,
    private readonly own?: StageCanvas,
  ) {
    this.canvas = own ?? new StageCanvas(element)
    this.renderer = this.canvas.renderer
    this.peeler = new DepthPeeler(this.renderer, this.canvas.shared)
    this.accumulator = new Accumulator(this.renderer)
    this.eye = new Eye(
      element,
      () => this.box(),
      () => this.invalidate(),
    )
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(element)
    this.forget = this.canvas.onResize(() => this.invalidate())
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
        drawable = new Drawable(this.canvas.shared, this.canvas.pool, this.nextPickId++)
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

  get isDisplaced(): boolean {
    return [...this.drawables.values()].some((drawable) => drawable.isDisplaced)
  }

  /** What is drawn displaced goes there and back, as a mode does; in pictures it is displaced in full. */
  setSwinging(is: boolean): void {
    this.isSwinging = is
    if (!is) for (const drawable of this.drawables.values()) drawable.displace(1)
    this.invalidate()
  }

  /** Beyond this share of the width what is compared with is drawn; 1 for nowhere. */
  setSwipe(share: number): void {
    if (share === this.swipe) return
    this.swipe = share
    this.invalidate()
  }

  /** Draws both sides of the swipe line into their pieces of an area, given a piece of a whole picture. */
  private eachSide(area: Area, wholeWidth: number, left: number, draw: (clip: Area | undefined) => void): void {
    const line = Math.round(this.swipe * wholeWidth) - left
    for (const isOther of [false, true]) {
      const [from, to] = isOther ? [Math.max(0, line), area.width] : [0, Math.min(area.width, line)]
      if (from >= to) continue
      this.isOther = isOther
      draw(to - from === area.width ? undefined : { ...area, x: area.x + from, width: to - from })
    }
    this.isOther = false
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
    if (this.isSwinging) {
      for (const drawable of this.drawables.values()) drawable.displace(Math.cos((2 * Math.PI * time) / SWING_MS))
      this.invalidate()
    }
    this.draw()
  }

  private draw(): void {
    const area = this.canvas.areaBehind(this.element)
    if (!area) return
    this.eye.holdDepth(this.isSwinging ? 2 : 1)
    this.layoutLabels(new THREE.Vector2(area.width, area.height), PIXELS_PER_POINT * this.renderer.getPixelRatio())
    this.peeler.resize(area.width, area.height)
    this.occlude(0, area.width)
    this.eachSide(area, area.width, 0, (clip) =>
      this.peeler.render(this, this.isMoving ? MOVING_LAYERS : STILL_LAYERS, GROUND, { target: null, area, clip }),
    )
    this.element.dataset['edges'] = 'plain'
    for (const listener of this.listeners) listener()
    if (!this.isMoving) this.beginSmoothing(area)
  }

  private get isMoving(): boolean {
    return this.eye.isMoving || this.isSwinging
  }

  /** Draws the same a few times more, each a part of a pixel aside, while nothing changes. */
  private beginSmoothing(area: Area): void {
    this.stopSmoothing()
    const timer = setTimeout(
      () => {
        this.accumulator.resize(area.width, area.height)
        this.accumulator.begin()
        this.smoothNext(0, area)
      },
      this.sampleMs > SLOW_MS ? SLOW_AFTER : STILL_AFTER,
    )
    this.stopSmoothing = () => clearTimeout(timer)
  }

  /** @param i  pictures that are there already */
  private smoothNext(i: number, area: Area): void {
    const { width, height } = area
    if (i >= (this.sampleMs > SLOW_MS && i > 0 ? SLOW_SAMPLES : STILL_SAMPLES)) {
      // a mean of few moves edges about
      this.accumulator.show({ target: null, area })
      this.element.dataset['edges'] = 'smooth'
      return
    }
    const start = performance.now()
    this.occlude(i, width)
    this.eye.within([width, height], [...samplePlaces(STILL_SAMPLES)[i]!, width, height], () =>
      this.accumulator.add((target) =>
        this.eachSide({ x: 0, y: 0, width, height }, width, 0, (clip) => this.peeler.render(this, STILL_LAYERS, GROUND, { target, clip })),
      ),
    )
    this.stopSmoothing = this.accumulator.whenDrawn(() => {
      this.sampleMs = performance.now() - start
      // others get their turn in between
      const timer = setTimeout(() => this.smoothNext(i + 1, area), Math.min(this.sampleMs, MOST_PAUSE))
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
      const isHere = this.isDrawn(drawable)
      if (isHere && drawable.isTranslucent) this.hasTranslucent = true
      drawable.group.visible = isHere && drawable.isTranslucent === isTranslucent
    }
  }

  /** Marks are on either side. */
  private isDrawn({ object }: Drawable): boolean {
    return object.isMark || (object.isOther ?? false) === this.isOther
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.element
    if (!clientWidth || !clientHeight) return
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
    const { renderer } = this
    const { shared } = this.canvas
    let any = false
    this.isOther = x >= this.swipe * this.eye.size[0]
    for (const drawable of this.drawables.values()) {
      const { group, object } = drawable
      any = (group.visible = !object.isMark && this.isDrawn(drawable) && counts(object.look.opacity)) || any
    }
    this.isOther = false
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
   * Draws a piece of a larger picture off the screen, one of the pictures that it is the mean of after the other: in between the stage
   * may be drawn, turned and changed in its size.
   *
   * @param full   size of the whole picture in pixels
   * @param piece  the wanted piece of it: x, y, width, height from the top left
   * @param samples  pictures that it is the mean of
   * @returns RGBA rows from top to bottom, colours multiplied by opacity
   */
  *drawPiece(
    full: [number, number],
    piece: [number, number, number, number],
    pixelsPerPoint: number,
    ground: THREE.Vector4,
    { layers, samples }: { layers: number; samples: number },
  ): Generator<void, Uint8Array> {
    const [width, height] = full
    const [x, y, w, h] = piece
    this.occlude(0, width)
    // what darkens the piece may lie beside it
    const beside = this.occlusion?.reach ?? 0
    const area = { x: 0, y: 0, width: w + 2 * beside, height: h + 2 * beside }
    const peeler = new DepthPeeler(this.renderer, this.canvas.shared)
    const accumulator = new Accumulator(this.renderer)
    const into = new THREE.WebGLRenderTarget(area.width, area.height)
    try {
      peeler.resize(area.width, area.height)
      accumulator.resize(area.width, area.height)
      accumulator.begin()
      for (const [i, [dx, dy]] of samplePlaces(samples).entries()) {
        if (i > 0) yield
        this.asInPicture(full, pixelsPerPoint, () => {
          this.occlude(i, width, [x, height - y - h])
          this.eye.within(full, [x - beside + dx, y - beside + dy, area.width, area.height], () =>
            accumulator.add((target) =>
              this.eachSide(area, width, x - beside, (clip) => peeler.render(this, layers, ground, { target, clip })),
            ),
          )
        })
      }
      accumulator.show({ target: into })
      const pixels = new Uint8Array(4 * w * h)
      this.renderer.readRenderTargetPixels(into, beside, beside, w, h, pixels)
      return flipRows(pixels, w, h)
    } finally {
      into.dispose()
      accumulator.dispose()
      peeler.dispose()
      this.invalidate()
    }
  }

  /** With the camera, labels and line widths of a picture. */
  private asInPicture(full: [number, number], pixelsPerPoint: number, draw: () => void): void {
    const setLooks = (scale: number): void => {
      for (const drawable of this.drawables.values()) drawable.setLook(drawable.object.look, drawable.object.values, scale)
    }
    this.eye.framed(full, () => {
      this.eye.holdDepth()
      this.layoutLabels(new THREE.Vector2(...full), pixelsPerPoint)
      setLooks(pixelsPerPoint)
      draw()
    })
    setLooks(PIXELS_PER_POINT * this.renderer.getPixelRatio())
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
    this.forget()
    if (!this.own) this.canvas.dispose()
  }
}
