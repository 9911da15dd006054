/**
 * Draws translucent surfaces in the right order whatever the order of their triangles: depth peeling.
 *
 * Everitt, "Interactive order-independent transparency" (2001): each pass keeps the nearest fragments behind those of
 * the pass before; layers are put under one another. What lies behind the last layer is blended as it comes.
 */
import * as THREE from 'three'
import type { PassUniforms } from './drawables'
import { FullScreen, screenMaterial } from './FullScreen'
import type { Into } from './FullScreen'
import { composeFragment, layerFragment } from './shaders'

/** How what is near darkens what it hides from the light around. */
export interface Occlusion {
  /** In the unit of the model. */
  radius: number
  /** Pixels that it is at most. */
  reach: number
  /** 0 to 1, another one for each of the pictures that one is the mean of. */
  turn: number
  /** Lower left of the picture within a whole one, in pixels. */
  corner: readonly [number, number]
}

export interface PeelScene {
  occlusion: Occlusion | undefined
  /** Shows either what is opaque or what is translucent. */
  show(isTranslucent: boolean): void
  hasTranslucent: boolean
  scene: THREE.Scene
  camera: THREE.Camera
}

const MULTISAMPLES = 4

export class DepthPeeler {
  private solid!: THREE.WebGLRenderTarget
  private layers!: THREE.WebGLRenderTarget
  private peels!: [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget]
  private readonly fullScreen: FullScreen
  private readonly under = screenMaterial(layerFragment, { layer: { value: null } })
  private readonly compose = screenMaterial(composeFragment, {
    solid: { value: null },
    layers: { value: null },
    ground: { value: new THREE.Vector4() },
    ...{ depth: { value: null }, radius: { value: 0 }, reach: { value: 0 }, turn: { value: 0 } },
    ...{ projection: { value: new THREE.Matrix4() }, inverse_: { value: new THREE.Matrix4() }, corner: { value: new THREE.Vector2() } },
  })

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly shared: PassUniforms,
  ) {
    this.fullScreen = new FullScreen(renderer)
    this.under.transparent = true
    this.under.blending = THREE.CustomBlending
    // front to back: what is there covers what comes
    Object.assign(this.under, {
      blendSrc: THREE.OneMinusDstAlphaFactor,
      blendDst: THREE.OneFactor,
      blendSrcAlpha: THREE.OneMinusDstAlphaFactor,
      blendDstAlpha: THREE.OneFactor,
    })
    this.resize(1, 1)
  }

  resize(width: number, height: number): void {
    if (this.solid?.width === width && this.solid.height === height) return
    this.disposeTargets()
    this.solid = target(width, height, MULTISAMPLES)
    this.layers = target(width, height, 0)
    this.peels = [target(width, height, 0), target(width, height, 0)]
  }

  /**
   * @param layers       how many translucent layers are told apart
   * @param ground       colour of the ground with its opacity, 0 to 1
   */
  render(scene: PeelScene, layers: number, ground: THREE.Vector4, into: Into): void {
    const { shared } = this
    shared.viewport.value.set(this.solid.width, this.solid.height)
    shared.pass.value = 0
    scene.show(false)
    this.draw(this.solid, scene)
    this.clear(this.layers)
    if (scene.hasTranslucent) {
      scene.show(true)
      shared.pass.value = 1
      shared.solid.value = this.solid.depthTexture
      this.peel(scene, layers)
    }
    const u = this.compose.uniforms
    u['solid']!.value = this.solid.texture
    u['layers']!.value = this.layers.texture
    u['ground']!.value.copy(ground)
    this.setOcclusion(scene)
    this.fullScreen.draw(this.compose, into)
  }

  private setOcclusion({ occlusion, camera }: PeelScene): void {
    const u = this.compose.uniforms
    u['radius']!.value = occlusion?.radius ?? 0
    if (!occlusion) return
    u['depth']!.value = this.solid.depthTexture
    u['reach']!.value = occlusion.reach
    u['turn']!.value = occlusion.turn
    u['corner']!.value.set(...occlusion.corner)
    u['projection']!.value.copy(camera.projectionMatrix)
    u['inverse_']!.value.copy(camera.projectionMatrixInverse)
  }

  private peel(scene: PeelScene, layers: number): void {
    const { shared } = this
    for (let i = 0; i < layers; i++) {
      const [now, before] = [this.peels[i % 2]!, this.peels[(i + 1) % 2]!]
      shared.isFirst.value = i === 0
      shared.peeled.value = before.depthTexture
      this.draw(now, scene)
      this.under.uniforms['layer']!.value = now.texture
      this.fullScreen.draw(this.under, { target: this.layers })
    }
    this.blendRest(scene, this.peels[(layers - 1) % 2]!)
  }

  /** Everything behind the last layer, in the order it comes. */
  private blendRest(scene: PeelScene, last: THREE.WebGLRenderTarget): void {
    this.shared.isFirst.value = false
    this.shared.peeled.value = last.depthTexture
    const changed: THREE.ShaderMaterial[] = []
    scene.scene.traverseVisible((thing) => {
      const material = (thing as THREE.Mesh).material as THREE.ShaderMaterial | undefined
      if (!material) return
      Object.assign(material, { transparent: true, depthWrite: false, depthTest: false, blending: THREE.CustomBlending })
      Object.assign(material, {
        blendSrc: THREE.OneMinusDstAlphaFactor,
        blendDst: THREE.OneFactor,
        blendSrcAlpha: THREE.OneMinusDstAlphaFactor,
        blendDstAlpha: THREE.OneFactor,
      })
      changed.push(material)
    })
    this.renderer.setRenderTarget(this.layers)
    this.renderer.autoClear = false
    this.renderer.render(scene.scene, scene.camera)
    for (const material of changed)
      Object.assign(material, { transparent: false, depthWrite: true, depthTest: true, blending: THREE.NormalBlending })
  }

  private draw(into: THREE.WebGLRenderTarget, scene: PeelScene): void {
    this.clear(into)
    this.renderer.render(scene.scene, scene.camera)
  }

  private clear(into: THREE.WebGLRenderTarget): void {
    this.renderer.setRenderTarget(into)
    this.renderer.setClearColor(0, 0)
    this.renderer.autoClear = false
    this.renderer.clear()
  }

  private disposeTargets(): void {
    for (const old of [this.solid, this.layers, ...(this.peels ?? [])]) {
      old?.depthTexture?.dispose()
      old?.dispose()
    }
  }

  dispose(): void {
    this.disposeTargets()
    this.under.dispose()
    this.compose.dispose()
    this.fullScreen.dispose()
  }
}

function target(width: number, height: number, samples: number): THREE.WebGLRenderTarget {
  const made = new THREE.WebGLRenderTarget(width, height, {
    samples,
    minFilter: THREE.NearestFilter,
    magFilter: THREE.NearestFilter,
    type: THREE.UnsignedByteType,
  })
  made.depthTexture = new THREE.DepthTexture(width, height, THREE.UnsignedIntType)
  return made
}
