/** Draws over all of a target with one triangle. */
import * as THREE from 'three'
import { screenVertex } from './shaders'

export class FullScreen {
  private readonly quad = new THREE.Mesh(
    new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(Float32Array.of(-1, -1, 0, 3, -1, 0, -1, 3, 0), 3)),
  )
  private readonly screen = new THREE.Scene().add(this.quad)
  private readonly flat = new THREE.Camera()

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.quad.frustumCulled = false
  }

  /** @param into  null is the canvas */
  draw(material: THREE.ShaderMaterial, into: THREE.WebGLRenderTarget | null): void {
    this.quad.material = material
    this.renderer.setRenderTarget(into)
    this.renderer.autoClear = false
    this.renderer.render(this.screen, this.flat)
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
    uniforms,
    depthTest: false,
    depthWrite: false,
  })
}
