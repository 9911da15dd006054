/**
 * The mean of several pictures, each drawn a part of a pixel aside: smooth edges of surfaces, lines and everything seen through.
 *
 * Haeberli and Akeley, "The accumulation buffer" (1990).
 */
import * as THREE from 'three'
import { FullScreen, screenMaterial } from './FullScreen'
import type { Into } from './FullScreen'
import { layerFragment } from './shaders'

/** Places within a pixel, from -0.5 to 0.5: bases 2 and 3 of Halton (1960), the first in the middle. */
export function samplePlaces(n: number): [number, number][] {
  const radical = (i: number, base: number): number => {
    let [share, value] = [1, 0]
    for (let k = i; k > 0; k = Math.floor(k / base)) value += (share /= base) * (k % base)
    return value
  }
  return Array.from({ length: n }, (_, i) => (i === 0 ? [0, 0] : [radical(i, 2) - 0.5, radical(i, 3) - 0.5]))
}

/** Milliseconds from one question whether something is drawn to the next. */
const POLL = 8

export class Accumulator {
  private sum!: THREE.WebGLRenderTarget
  private sample!: THREE.WebGLRenderTarget
  private readonly material = screenMaterial(layerFragment, { layer: { value: null } })
  private readonly fullScreen: FullScreen
  private count = 0

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.fullScreen = new FullScreen(renderer)
    this.resize(1, 1)
  }

  resize(width: number, height: number): void {
    if (this.sum?.width === width && this.sum.height === height) return
    this.disposeTargets()
    const plain = { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter, depthBuffer: false }
    this.sum = new THREE.WebGLRenderTarget(width, height, { ...plain, type: THREE.HalfFloatType })
    this.sample = new THREE.WebGLRenderTarget(width, height, plain)
  }

  begin(): void {
    this.count = 0
  }

  /** Adds a picture. @param draw  draws it into what it is given */
  add(draw: (into: THREE.WebGLRenderTarget) => void): void {
    draw(this.sample)
    this.count++
    // the mean of all: what is there keeps its share
    Object.assign(this.material, {
      transparent: true,
      blending: THREE.CustomBlending,
      blendSrc: THREE.ConstantAlphaFactor,
      blendDst: THREE.OneMinusConstantAlphaFactor,
      blendSrcAlpha: THREE.ConstantAlphaFactor,
      blendDstAlpha: THREE.OneMinusConstantAlphaFactor,
      blendAlpha: 1 / this.count,
    })
    this.copy(this.sample, { target: this.sum })
  }

  /** Calls back once everything is drawn, without waiting for it. @returns how to stop */
  whenDrawn(done: () => void): () => void {
    const gl = this.renderer.getContext() as WebGL2RenderingContext
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)
    gl.flush()
    const ask = (): void => {
      if (fence && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED) {
        timer = setTimeout(ask, POLL)
        return
      }
      gl.deleteSync(fence)
      done()
    }
    let timer = setTimeout(ask, 0)
    return () => clearTimeout(timer)
  }

  /** Draws the mean. */
  show(into: Into): void {
    Object.assign(this.material, { transparent: false, blending: THREE.NoBlending })
    this.copy(this.sum, into)
  }

  private copy(from: THREE.WebGLRenderTarget, into: Into): void {
    this.material.uniforms['layer']!.value = from.texture
    this.fullScreen.draw(this.material, into)
  }

  private disposeTargets(): void {
    this.sum?.dispose()
    this.sample?.dispose()
  }

  dispose(): void {
    this.disposeTargets()
    this.material.dispose()
    this.fullScreen.dispose()
  }
}
