/** Turns stage objects into three.js meshes with the stage's own materials. */
import * as THREE from 'three'
import { boxLines, surfaceEdges } from './edges'
import { DOT_WIDTHS, valueAtCorner } from './StageObject'
import { arrowGeometry } from './arrowGeometry'
import { LabelSet } from './labels'
import { supportPoints } from './supportPoints'
import type { GeometryPool } from './GeometryPool'
import { ribbonGeometry } from './ribbonGeometry'
import { arrowVertex, lineFragment, lineVertex, ribbonVertex, surfaceFragment, surfaceVertex } from './shaders'
import { MOST_LEVELS } from '../core/colour/scale'
import { fades } from '../core/study/studyModel'
import type { Rgb, StageGeometry, StageLook, StageMotion, StageObject, StageValues } from './StageObject'

/** Depth by which a later step is drawn before an earlier one on the same plane. */
const PULL = 2e-6
/** Lines lie on surfaces more often than not: they are brought forward by this share of the depth of the scene. */
const LINE_PULL = 4e-4
const EDGE_COLOUR: [number, number, number] = [0.12, 0.165, 0.18]
const EDGE_WIDTH = 0.7
/** Points of the rim of lines that stand out. */
const HALO_WIDTH = 0.45
/** Grey of what is no number. */
const BLANK = [0.8, 0.81, 0.8, 1] as const

/** Uniforms that passes change for everything at once. */
export interface PassUniforms {
  pass: { value: number }
  peeled: { value: THREE.Texture | null }
  solid: { value: THREE.Texture | null }
  isFirst: { value: boolean }
  /** Pixels of the target. */
  viewport: { value: THREE.Vector2 }
}

/** One object on the stage. Geometry is rebuilt only when its key changes; looks are uniforms. */
export class Drawable {
  readonly group = new THREE.Group()
  /** In the case's coordinates. */
  readonly box = new THREE.Box3()
  /** Points that reach furthest, in the frame of the group. */
  support: number[] = []
  private body: THREE.Mesh | undefined
  private edges: THREE.Mesh | undefined
  private built = ''
  private boxed = ''
  private shown = ''
  private edgesBuilt = ''
  private labelled = ''
  labels: LabelSet | undefined
  private table: THREE.DataTexture | undefined
  object!: StageObject

  constructor(
    private readonly shared: PassUniforms,
    private readonly pool: GeometryPool,
    readonly pickId: number,
  ) {}

  /** @returns whether anything looks different */
  update(object: StageObject, pixelsPerPoint: number): boolean {
    const { geometry, values, look, motion } = object
    const { table, ...plainLook } = look
    const moved = motion && [motion.key, motion.factor, motion.offset]
    const texts = object.labels?.map(({ text }) => text).join()
    const shown = JSON.stringify([geometry.key, values?.key, plainLook, moved, texts, object.order, pixelsPerPoint])
    if (this.object && shown === this.shown && table === this.object.look.table) return false
    this.shown = shown
    this.object = object
    const key = `${geometry.kind} ${geometry.key} ${values?.key} ${motion?.key} ${look.isSmooth} ${look.form === 'ribbon'}`
    if (key !== this.built) {
      this.built = key
      this.rebuild(geometry, values, look, motion)
    }
    const place = new THREE.Vector3(...geometry.origin).add(new THREE.Vector3(...(motion?.offset ?? [])))
    this.group.position.copy(place)
    this.updateBox(geometry, motion, place)
    this.updateEdges(geometry, look, motion)
    this.updateLabels(object)
    this.setLook(look, values, pixelsPerPoint)
    return true
  }

  get isDisplaced(): boolean {
    return !!this.object.motion?.vectors
  }

  /** By how much of its displacement it is drawn displaced. */
  displace(share: number): void {
    for (const mesh of [this.body, this.edges])
      if (mesh) (mesh.material as THREE.ShaderMaterial).uniforms['motion']!.value = share * (this.object.motion?.factor ?? 0)
  }

  /** Line widths in pixels follow the resolution, so that they keep their size in points. */
  setLook(look: StageLook, values: StageValues | null, pixelsPerPoint: number): void {
    const { order } = this.object
    this.displace(1)
    if (this.body) {
      const u = (this.body.material as THREE.ShaderMaterial).uniforms
      this.setTable(look, values)
      u['table']!.value = this.table ?? null
      u['isColoured']!.value = look.table !== null && values !== null
      u['reference']!.value = values?.reference ?? 0
      u['range']!.value.set(look.min - (values?.reference ?? 0), look.max - (values?.reference ?? 0))
      u['bands']!.value = look.bands
      this.setScale(u, look, values?.reference ?? 0)
      u['plain']!.value.set(...look.plain)
      u['opacity']!.value = look.opacity
      u['pull']!.value = PULL * order + (u['width'] ? LINE_PULL : 0)
      if (u['isTube']) u['isTube'].value = look.form === 'tube'
      if (u['thickness']) u['thickness'].value = look.thickness ?? 0
      if (u['halo']) u['halo'].value = look.hasHalo ? HALO_WIDTH * pixelsPerPoint : 0
      if (u['width']) u['width'].value = Math.max(look.width * (u['isDot']?.value ? DOT_WIDTHS : 1) * pixelsPerPoint, 1)
      else {
        ;(this.body.material as THREE.ShaderMaterial).side = look.isOneSided ? THREE.FrontSide : THREE.DoubleSide
        u['isLit']!.value = look.isLit
        u['isSmooth']!.value = look.isSmooth
      }
      if (u['longest'] && look.arrows) {
        u['longest'].value = look.arrows.longest
        u['largest']!.value = look.arrows.largest
        u['lengthBy']!.value = ['size', 'equal', 'log'].indexOf(look.arrows.length)
      }
    }
    if (this.edges) {
      const u = (this.edges.material as THREE.ShaderMaterial).uniforms
      u['width']!.value = Math.max((look.edges === 'points' ? DOT_WIDTHS : 1) * EDGE_WIDTH * pixelsPerPoint, 1)
      u['pull']!.value = PULL * (order + 0.5) + 2e-6
      u['opacity']!.value = Math.max(look.opacity, 0.55)
    }
  }

  private setScale(u: Record<string, THREE.IUniform>, look: StageLook, reference: number): void {
    const { isLog = false, levels = [], low, high, blank, fade } = look
    u['isLog']!.value = isLog
    u['nLevels']!.value = levels.length
    levels.forEach((level, i) => (u['levels']!.value[i] = level - reference))
    const own = (at: THREE.Vector4, colour: Rgb | null | undefined, missing: readonly [number, number, number, number]): void =>
      void (colour ? at.set(...colour, 1) : at.set(...(colour === null ? ([0, 0, 0, 0] as const) : missing)))
    own(u['low']!.value, low, [0, 0, 0, -1])
    own(u['high']!.value, high, [0, 0, 0, -1])
    own(u['blank']!.value, blank, BLANK)
    u['fade']!.value = fade ? fades.indexOf(fade) + 1 : 0
  }

  /** Lines and points cover little: they are drawn opaque, unless the object is nearly invisible. */
  get isTranslucent(): boolean {
    const { opacity, fade, table } = this.object.look
    return opacity < 0.999 || (fade !== undefined && table !== null)
  }

  dispose(): void {
    for (const mesh of [this.body, this.edges]) this.remove(mesh)
    this.table?.dispose()
    this.labels?.dispose()
  }

  private setTable(look: StageLook, values: StageValues | null): void {
    if (!look.table || !values) return
    const image = this.table?.image as { data?: Uint8Array } | undefined
    if (image?.data === look.table) return
    this.table?.dispose()
    this.table = new THREE.DataTexture(look.table, look.table.length / 4, 1)
    this.table.needsUpdate = true
  }

  private remove(mesh: THREE.Mesh | undefined): void {
    if (!mesh) return
    this.group.remove(mesh)
    this.pool.release(mesh.geometry)
    ;((mesh.material as THREE.ShaderMaterial).uniforms['flow']?.value as THREE.Texture | null)?.dispose()
    ;(mesh.material as THREE.Material).dispose()
  }

  private updateBox(geometry: StageGeometry, motion: StageMotion | null | undefined, place: THREE.Vector3): void {
    const key = `${this.built} ${motion?.factor} ${place.toArray().join()}`
    if (key === this.boxed) return
    this.boxed = key
    const { vectors, factor } = motion ?? { vectors: null, factor: 0 }
    const drawn = vectors ? geometry.points.map((x, i) => x + factor * vectors[i]!) : geometry.points
    this.box.setFromArray(drawn as unknown as number[])
    if (!this.box.isEmpty()) this.box.translate(place)
    this.support = supportPoints(drawn)
  }

  private rebuild(geometry: StageGeometry, values: StageValues | null, look: StageLook, motion: StageMotion | null | undefined): void {
    this.remove(this.body)
    this.body = this.bodyOf(geometry, values, look, motion)
    this.body.frustumCulled = false
    this.group.add(this.body)
  }

  private bodyOf(
    geometry: StageGeometry,
    values: StageValues | null,
    { isSmooth, form }: StageLook,
    motion: StageMotion | null | undefined,
  ): THREE.Mesh {
    const { texture } = geometry
    const flow = texture && flowMap(texture)
    const lit = { isLit: { value: true }, isSmooth: { value: false }, hasTexture: { value: !!flow }, flow: { value: flow ?? null } }
    const mesh = (make: () => THREE.BufferGeometry, material: THREE.ShaderMaterial): THREE.Mesh =>
      new THREE.Mesh(this.pool.take(this.built, make), material)
    if (geometry.kind === 'surface')
      return mesh(() => surfaceGeometry(geometry, values, isSmooth, motion), this.material(surfaceVertex, surfaceFragment, lit))
    if (geometry.vectors) {
      const own = { ...lit, longest: { value: 1 }, largest: { value: 1 }, lengthBy: { value: 0 } }
      return mesh(() => arrowGeometry(geometry, values, motion), this.material(arrowVertex, surfaceFragment, own))
    }
    if (form === 'ribbon' && geometry.kind === 'lines') {
      const own = { ...lit, width: { value: 1 }, thickness: { value: 0 } }
      return mesh(() => ribbonGeometry(geometry, values, motion), this.material(ribbonVertex, surfaceFragment, own))
    }
    const isDot = geometry.kind === 'points'
    return mesh(
      () => lineGeometry(geometry.points, segmentsOf(geometry), values, motion),
      this.material(lineVertex, lineFragment, { ...lineUniforms(), isDot: { value: isDot } }),
    )
  }

  private updateLabels({ geometry, motion, labels = [] }: StageObject): void {
    const key = labels.length ? `${geometry.key} ${motion?.key} ${motion?.factor} ${labels.map(({ text }) => text).join()}` : ''
    if (key === this.labelled) return
    this.labelled = key
    if (this.labels) this.group.remove(this.labels.mesh)
    this.labels?.dispose()
    this.labels = key ? new LabelSet(labels, geometry.points, motion, { ...this.shared }) : undefined
    if (this.labels) this.group.add(this.labels.mesh)
  }

  private updateEdges(geometry: StageGeometry, look: StageLook, motion: StageMotion | null | undefined): void {
    const key =
      geometry.kind === 'surface' && look.edges !== 'none'
        ? `${geometry.key} ${motion?.key} ${look.edges}${look.edges === 'box' ? this.boxed : ''}`
        : ''
    if (key === this.edgesBuilt) return
    this.remove(this.edges)
    this.edges = undefined
    this.edgesBuilt = key
    if (!key) return
    const make = (): THREE.BufferGeometry => {
      const { points, segments } = this.edgesOf(geometry, look.edges)
      return lineGeometry(points, segments, null, look.edges === 'box' ? null : motion)
    }
    const material = this.material(lineVertex, lineFragment, { ...lineUniforms(), isDot: { value: look.edges === 'points' } })
    material.uniforms['plain']!.value.set(...EDGE_COLOUR)
    this.edges = new THREE.Mesh(this.pool.take(`edges ${key}`, make), material)
    this.edges.frustumCulled = false
    this.group.add(this.edges)
  }

  private edgesOf({ points, elements, cells }: StageGeometry, edges: StageLook['edges']): { points: Float32Array; segments: Uint32Array } {
    if (edges === 'points') return { points, segments: doubled(new Set(elements)) }
    if (edges === 'box') {
      const { min, max } = this.box.clone().translate(this.group.position.clone().negate())
      return boxLines([...min.toArray(), ...max.toArray()])
    }
    return { points, segments: surfaceEdges(points, elements, edges === 'cells' ? (cells ?? null) : null) }
  }

  private material(vertexShader: string, fragmentShader: string, own: Record<string, THREE.IUniform>): THREE.ShaderMaterial {
    const material = new THREE.ShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader,
      fragmentShader,
      side: THREE.DoubleSide,
      uniforms: {
        ...this.shared,
        table: { value: null },
        range: { value: new THREE.Vector2(0, 1) },
        bands: { value: 0 },
        isLog: { value: false },
        nLevels: { value: 0 },
        levels: { value: new Float32Array(MOST_LEVELS) },
        low: { value: new THREE.Vector4(0, 0, 0, -1) },
        high: { value: new THREE.Vector4(0, 0, 0, -1) },
        blank: { value: new THREE.Vector4(...BLANK) },
        fade: { value: 0 },
        reference: { value: 0 },
        isColoured: { value: false },
        plain: { value: new THREE.Vector3(0.6, 0.6, 0.6) },
        opacity: { value: 1 },
        pickId: { value: this.pickId },
        pull: { value: 0 },
        motion: { value: 0 },
        ...own,
      },
    })
    // what is drawn in its place has no attributes for it
    Object.assign(material.defaultAttributeValues, { texel: [0, 0], moved: [0, 0, 0], movedStart: [0, 0, 0], movedEnd: [0, 0, 0] })
    return material
  }
}

/** Values on elements and on their corners need corners of their own; values on points share them. */
function surfaceGeometry(
  surface: StageGeometry,
  values: StageValues | null,
  isSmooth: boolean,
  motion: StageMotion | null | undefined,
): THREE.BufferGeometry {
  const { points, elements, texture } = surface
  const geometry = new THREE.BufferGeometry()
  const moved = motion?.vectors
  if (texture || (values && values.place !== 'point')) {
    const corners = new Float32Array(3 * elements.length)
    const perCorner = new Float32Array(elements.length)
    for (let i = 0; i < elements.length; i++) {
      corners.set(points.subarray(3 * elements[i]!, 3 * elements[i]! + 3), 3 * i)
      if (values) perCorner[i] = valueAtCorner(surface, values, i)
    }
    geometry.setAttribute('position', new THREE.BufferAttribute(corners, 3))
    geometry.setAttribute('value', new THREE.BufferAttribute(perCorner, 1))
    if (moved) geometry.setAttribute('moved', new THREE.BufferAttribute(atCorners(moved, elements), 3))
    if (texture) geometry.setAttribute('texel', new THREE.BufferAttribute(texture.places, 2))
  } else {
    geometry.setAttribute('position', new THREE.BufferAttribute(points, 3))
    geometry.setAttribute('value', new THREE.BufferAttribute(values?.values ?? new Float32Array(points.length / 3), 1))
    if (moved) geometry.setAttribute('moved', new THREE.BufferAttribute(moved, 3))
    geometry.setIndex(new THREE.BufferAttribute(elements, 1))
  }
  if (isSmooth) geometry.computeVertexNormals()
  else geometry.setAttribute('normal', new THREE.BufferAttribute(new Float32Array(geometry.getAttribute('position').count * 3), 3))
  return geometry
}

function lineUniforms(): Record<string, THREE.IUniform> {
  return { width: { value: 1 }, thickness: { value: 0 }, isDot: { value: false }, isTube: { value: false }, halo: { value: 0 } }
}

function flowMap({ texels, width, height }: NonNullable<StageGeometry['texture']>): THREE.DataTexture {
  const map = new THREE.DataTexture(texels, width, height, THREE.RedFormat)
  Object.assign(map, { magFilter: THREE.LinearFilter, minFilter: THREE.LinearMipmapLinearFilter, generateMipmaps: true, needsUpdate: true })
  return map
}

/** Three numbers of each point at each corner. */
function atCorners(vectors: Float32Array, elements: Uint32Array): Float32Array {
  const out = new Float32Array(3 * elements.length)
  for (let i = 0; i < elements.length; i++) out.set(vectors.subarray(3 * elements[i]!, 3 * elements[i]! + 3), 3 * i)
  return out
}

/** Points are drawn as segments of no length, rounded to dots. */
function segmentsOf({ kind, elements }: StageGeometry): Uint32Array {
  return kind === 'lines' ? elements : doubled(elements)
}

function doubled(points: Iterable<number>): Uint32Array {
  return Uint32Array.from([...points].flatMap((p) => [p, p]))
}

/** A quad per segment, widened on the screen. */
function lineGeometry(
  points: Float32Array,
  segments: Uint32Array,
  values: StageValues | null,
  motion: StageMotion | null | undefined,
): THREE.InstancedBufferGeometry {
  const n = segments.length / 2
  const starts = new Float32Array(3 * n)
  const ends = new Float32Array(3 * n)
  const pairs = new Float32Array(2 * n)
  for (let i = 0; i < n; i++) {
    const a = segments[2 * i]!
    const b = segments[2 * i + 1]!
    starts.set(points.subarray(3 * a, 3 * a + 3), 3 * i)
    ends.set(points.subarray(3 * b, 3 * b + 3), 3 * i)
    if (!values) continue
    const { place } = values
    const isCorner = place === 'corner'
    pairs[2 * i] = values.values[place === 'point' ? a : isCorner ? 2 * i : i]!
    pairs[2 * i + 1] = values.values[place === 'point' ? b : isCorner ? 2 * i + 1 : i]!
  }
  const geometry = new THREE.InstancedBufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.of(0, -1, 0, 1, -1, 0, 1, 1, 0, 0, 1, 0), 3))
  geometry.setIndex([0, 1, 2, 0, 2, 3])
  geometry.setAttribute('start', new THREE.InstancedBufferAttribute(starts, 3))
  geometry.setAttribute('end', new THREE.InstancedBufferAttribute(ends, 3))
  geometry.setAttribute('ends', new THREE.InstancedBufferAttribute(pairs, 2))
  if (motion?.vectors) {
    const half = (end: number): Uint32Array => segments.filter((_, i) => i % 2 === end)
    geometry.setAttribute('movedStart', new THREE.InstancedBufferAttribute(atCorners(motion.vectors, half(0)), 3))
    geometry.setAttribute('movedEnd', new THREE.InstancedBufferAttribute(atCorners(motion.vectors, half(1)), 3))
  }
  geometry.instanceCount = n
  return geometry
}
