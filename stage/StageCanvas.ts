/** One canvas with one renderer for all panes: each stage draws into the piece of it that lies behind its element. */
import * as THREE from 'three'
import type { PassUniforms } from './drawables'
import type { Area } from './FullScreen'
import { GeometryPool } from './GeometryPool'

export class StageCanvas {
  readonly renderer: THREE.WebGLRenderer
  readonly element: HTMLCanvasElement
  readonly pool = new GeometryPool()
  readonly shared: PassUniforms = {
    pass: { value: 0 },
    peeled: { value: null },
    solid: { value: null },
    isFirst: { value: true },
    viewport: { value: new THREE.Vector2() },
  }
  private readonly watcher: ResizeObserver
  private readonly listeners = new Set<() => void>()

  /** @param holder  filled by the canvas. @throws Error where the browser has no WebGL 2 */
  constructor(private readonly holder: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({ antialias: false, alpha: true, premultipliedAlpha: true, preserveDrawingBuffer: true })
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace
    this.element = this.renderer.domElement
    this.element.style.display = 'block'
    holder.appendChild(this.element)
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(holder)
    this.resize()
  }

  /** Called when everything must be drawn anew. @returns how to stop */
  onResize(listener: () => void): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.holder
    if (!clientWidth || !clientHeight) return
    this.renderer.setPixelRatio(window.devicePixelRatio)
    this.renderer.setSize(clientWidth, clientHeight)
    for (const listener of this.listeners) listener()
  }

  /** The piece of the canvas behind an element; undefined where it has no size. */
  areaBehind(element: HTMLElement): Area | undefined {
    const [own, all] = [element.getBoundingClientRect(), this.element.getBoundingClientRect()]
    const ratio = this.renderer.getPixelRatio()
    const [left, right] = [own.left - all.left, own.right - all.left].map((x) => Math.round(x * ratio)) as [number, number]
    const [low, high] = [all.bottom - own.bottom, all.bottom - own.top].map((y) => Math.round(y * ratio)) as [number, number]
    const area = { x: left, y: low, width: right - left, height: high - low }
    return area.width > 0 && area.height > 0 ? area : undefined
  }

  dispose(): void {
    this.watcher.disconnect()
    this.renderer.dispose()
    this.element.remove()
  }
}
