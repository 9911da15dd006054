/** Draws over all of a target, or of a piece of it, with one triangle. */
import * as THREE from 'three'
import { screenVertex } from './shaders'

/** Pixels from the lower left. */
export interface Area {
  x: number
  y: number
  width: number
  height: number
}

export interface Into {
  /** null is the canvas */
  target: THREE.WebGLRenderTarget | null
  /** Piece of the canvas that the picture is put into; all of it when absent. */
  area?: Area
  /** What of the target is drawn; all of it when absent. */
  clip?: Area | undefined
}

export class FullScreen {
  private readonly quad = new THREE.Mesh(
    new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(Float32Array.of(-1, -1, 0, 3, -1, 0, -1, 3, 0), 3)),
  )
  private readonly screen = new THREE.Scene().add(this.quad)
  private readonly flat = new THREE.Camera()

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.quad.frustumCulled = false
  }

  draw(material: THREE.ShaderMaterial, { target, area, clip }: Into): void {
    this.quad.material = material
    material.uniforms['offset']!.value.set(area?.x ?? 0, area?.y ?? 0)
    if (target && clip) target.scissor.set(clip.x, clip.y, clip.width, clip.height)
    if (target) target.scissorTest = clip !== undefined
    this.renderer.setRenderTarget(target)
    if (!target) this.setWindow(area, clip)
    this.renderer.autoClear = false
    this.renderer.render(this.screen, this.flat)
    if (target) target.scissorTest = false
  }

  private setWindow(area: Area | undefined, clip: Area | undefined): void {
    const { renderer } = this
    const size = renderer.getDrawingBufferSize(new THREE.Vector2())
    const ratio = renderer.getPixelRatio()
    const inCss = ({ x, y, width, height }: Area) => [x / ratio, y / ratio, width / ratio, height / ratio] as const
    const all = area ?? { x: 0, y: 0, width: size.x, height: size.y }
    renderer.setViewport(...inCss(all))
    renderer.setScissor(...inCss(clip ?? all))
    renderer.setScissorTest(true)
  }

  dispose(): void {
    this.quad.geometry.dispose()
  }
}

export function screenMaterial(fragmentShader: string, uniforms: Record<string, THREE.IUniform>): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    glslVersion: THREE.GLSL3,
    vertexShader: screenVertex,
    fragmentShader,
    uniforms: { ...uniforms, offset: { value: new THREE.Vector2() } },
    depthTest: false,
    depthWrite: false,
  })
}
