/**
 * Numbers on lines and texts above points: drawn with the scene, so that what stands before them covers them, in pictures too. They
 * follow their line, stand upright from any side, and are left out where they would overlap.
 */
import * as THREE from 'three'
import type { StageLabel, StageMotion } from './StageObject'

/** Pixels of a letter in the texture, and points on the screen. */
const TEXT_PIXELS = 24
const TEXT_POINTS = 8.5
const PAD = 5
/** Texts below each other in the texture: cards hold no picture of any height. */
const MOST_ROWS = 120
/** Heights of a text that it stands above its point. */
const LIFT = 0.75

const vertex = /* glsl */ `
// before lines that lie on the same surface
const float PULL = 1e-3;
in vec3 centre;
in vec4 area;
in float shown;
in vec2 turn;
in vec2 size;
in float lift;
out vec2 vUv;
uniform vec2 viewport;
void main() {
  vec4 clip = projectionMatrix * modelViewMatrix * vec4(centre, 1.0);
  vec2 half_ = position.xy * size * 0.5;
  vec2 turned = vec2(turn.x * half_.x - turn.y * half_.y, turn.y * half_.x + turn.x * half_.y);
  clip.xy += 2.0 * (turned + vec2(0.0, lift)) / viewport * clip.w;
  // so far forward that the surface under a text does not cover a part of it
  float pixels = projectionMatrix[0][0] * viewport.x * 0.5 / clip.w;
  bool isParallel = projectionMatrix[3][3] != 0.0;
  float depth = isParallel ? abs(projectionMatrix[2][2]) : abs(projectionMatrix[3][2]) / (clip.w * clip.w);
  clip.z -= (PULL + 1.5 * size.x / pixels * depth) * clip.w;
  gl_Position = shown > 0.5 ? clip : vec4(2.0, 2.0, 2.0, 1.0);
  vUv = mix(area.xy, area.zw, position.xy * 0.5 + 0.5);
}
`

const fragment = /* glsl */ `
precision highp float;
uniform sampler2D text;
uniform int pass;
in vec2 vUv;
out vec4 outColour;
void main() {
  vec4 at = texture(text, vUv);
  if (at.a < 0.4 || pass != 0) discard;
  outColour = vec4(at.rgb, 1.0);
}
`

export class LabelSet {
  readonly mesh: THREE.Mesh
  private readonly material: THREE.ShaderMaterial
  private readonly texture: THREE.CanvasTexture
  private readonly geometry = new THREE.InstancedBufferGeometry()
  /** Width over height of each text. */
  private readonly aspects: number[]
  private readonly places: { centre: THREE.Vector3; next: THREE.Vector3 }[]
  private readonly turns: Float32Array
  private readonly sizes: Float32Array
  private readonly shown: Float32Array
  /** Pixels that texts stand above their points, or below. */
  private readonly lifts: Float32Array

  /** @param points  in the frame of the group that the mesh is in */
  constructor(
    labels: readonly StageLabel[],
    points: Float32Array,
    motion: StageMotion | null | undefined,
    uniforms: Record<string, THREE.IUniform>,
  ) {
    const { canvas, areas, aspects } = atlas([...new Set(labels.map(({ text }) => text))])
    this.texture = new THREE.CanvasTexture(canvas)
    Object.assign(this.texture, { minFilter: THREE.LinearFilter, generateMipmaps: false })
    this.aspects = labels.map(({ text }) => aspects.get(text)!)
    const placeOf = (p: number): THREE.Vector3 =>
      new THREE.Vector3(...[0, 1, 2].map((d) => points[3 * p + d]! + (motion?.vectors ? motion.factor * motion.vectors[3 * p + d]! : 0)))
    this.places = labels.map(({ point, next }) => ({ centre: placeOf(point), next: placeOf(next) }))
    const n = labels.length
    this.turns = new Float32Array(2 * n)
    this.sizes = new Float32Array(2 * n)
    this.shown = new Float32Array(n)
    this.lifts = new Float32Array(n)
    const { geometry } = this
    geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.of(-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0), 3))
    geometry.setIndex([0, 1, 2, 0, 2, 3])
    const centres = Float32Array.from(this.places.flatMap(({ centre }) => centre.toArray()))
    geometry.setAttribute('centre', new THREE.InstancedBufferAttribute(centres, 3))
    geometry.setAttribute('area', new THREE.InstancedBufferAttribute(Float32Array.from(labels.flatMap(({ text }) => areas.get(text)!)), 4))
    geometry.setAttribute('turn', new THREE.InstancedBufferAttribute(this.turns, 2))
    geometry.setAttribute('size', new THREE.InstancedBufferAttribute(this.sizes, 2))
    geometry.setAttribute('lift', new THREE.InstancedBufferAttribute(this.lifts, 1))
    geometry.setAttribute('shown', new THREE.InstancedBufferAttribute(this.shown, 1))
    geometry.instanceCount = n
    this.material = new THREE.ShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: vertex,
      fragmentShader: fragment,
      side: THREE.DoubleSide,
      uniforms: { ...uniforms, text: { value: this.texture } },
    })
    this.mesh = new THREE.Mesh(geometry, this.material)
    this.mesh.frustumCulled = false
  }

  /**
   * Turns the texts along their lines and leaves out those that would overlap.
   *
   * @param size   pixels of what is drawn
   * @param taken  boxes of texts that stand already: centre and half sides
   */
  layout(camera: THREE.Camera, size: THREE.Vector2, pixelsPerPoint: number, taken: [number, number, number, number][]): void {
    const height = TEXT_POINTS * pixelsPerPoint * ((TEXT_PIXELS + 2 * PAD) / TEXT_PIXELS)
    const screen = (at: THREE.Vector3): THREE.Vector2 => {
      const p = this.mesh.localToWorld(at.clone()).project(camera)
      return new THREE.Vector2(((p.x + 1) / 2) * size.x, ((p.y + 1) / 2) * size.y)
    }
    this.places.forEach(({ centre, next }, i) => {
      const at = screen(centre)
      const along = screen(next).sub(at)
      // read from left to right
      if (along.x < 0) along.negate()
      if (along.lengthSq() < 1e-12) along.set(1, 0)
      along.normalize()
      const width = height * this.aspects[i]!
      const half: [number, number] = [
        (Math.abs(along.x) * width + Math.abs(along.y) * height) / 2,
        (Math.abs(along.y) * width + Math.abs(along.x) * height) / 2,
      ]
      const isFree = (lift: number): boolean =>
        taken.every(([x, y, a, b]) => Math.abs(x - at.x) > a + half[0] || Math.abs(y - at.y - lift) > b + half[1])
      // above its point, else below it
      const lift = (next.equals(centre) ? [LIFT * height, -LIFT * height] : [0]).find(isFree)
      if (lift !== undefined) taken.push([at.x, at.y + lift, ...half])
      this.shown[i] = Number(lift !== undefined)
      this.lifts[i] = lift ?? 0
      this.turns.set([along.x, along.y], 2 * i)
      this.sizes.set([width, height], 2 * i)
    })
    for (const name of ['turn', 'size', 'lift', 'shown']) this.geometry.getAttribute(name).needsUpdate = true
  }

  dispose(): void {
    this.geometry.dispose()
    this.material.dispose()
    this.texture.dispose()
  }
}

/** All texts in one picture, dark with a light rim, and where each of them is in it. */
function atlas(texts: readonly string[]): { canvas: HTMLCanvasElement; areas: Map<string, number[]>; aspects: Map<string, number> } {
  const canvas = document.createElement('canvas')
  const font = `500 ${TEXT_PIXELS}px "IBM Plex Mono", monospace`
  const row = TEXT_PIXELS + 2 * PAD
  let context = canvas.getContext('2d')!
  context.font = font
  const widths = texts.map((text) => Math.ceil(context.measureText(text).width) + 2 * PAD)
  const [column, nRows] = [Math.max(1, ...widths), Math.max(1, Math.min(texts.length, MOST_ROWS))]
  canvas.width = column * Math.max(1, Math.ceil(texts.length / nRows))
  canvas.height = row * nRows
  context = canvas.getContext('2d')!
  Object.assign(context, { font, textBaseline: 'middle', lineJoin: 'round', lineWidth: 6, strokeStyle: '#f7f8f5', fillStyle: '#1f2a2e' })
  const areas = new Map<string, number[]>()
  const aspects = new Map<string, number>()
  texts.forEach((text, i) => {
    const [left, top] = [Math.floor(i / nRows) * column, (i % nRows) * row]
    context.strokeText(text, left + PAD, top + row / 2)
    context.fillText(text, left + PAD, top + row / 2)
    const [x, y] = [canvas.width, canvas.height]
    areas.set(text, [left / x, 1 - (top + row) / y, (left + widths[i]!) / x, 1 - top / y])
    aspects.set(text, widths[i]! / row)
  })
  return { canvas, areas, aspects }
}
