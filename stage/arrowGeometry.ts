/** Arrows as instances of one slender form: a thin stem and a long head whose barbs reach back. */
import * as THREE from 'three'
import type { StageGeometry, StageMotion, StageValues } from './StageObject'

const SIDES = 7
const STEM = 0.014
const BARB = 0.06
/** Where the barbs end, where the stem meets the head, and the tip. */
const [BACK, NECK, TIP] = [0.66, 0.74, 1]

/** Triangles of the form as positions and normals, along x from 0 to 1. */
function form(): { positions: number[]; normals: number[] } {
  const positions: number[] = []
  const normals: number[] = []
  // radius at places along x; each pair is a ring of faces
  const profile = [
    [0, 0],
    [0, STEM],
    [NECK, STEM],
    [BACK, BARB],
    [TIP, 0],
  ] as const
  for (let i = 0; i + 1 < profile.length; i++) {
    const [x0, r0] = profile[i]!
    const [x1, r1] = profile[i + 1]!
    const [dx, dr] = [x1 - x0, r1 - r0]
    const size = Math.hypot(dx, dr)
    for (let s = 0; s < SIDES; s++) {
      const angles = [s, s + 1].map((k) => (2 * Math.PI * k) / SIDES) as [number, number]
      const corner = (x: number, r: number, a: number): number[] => [x, r * Math.cos(a), r * Math.sin(a)]
      const normal = (a: number): number[] => [-dr / size, (dx / size) * Math.cos(a), (dx / size) * Math.sin(a)]
      const quad = [
        [x0, r0, angles[0]],
        [x1, r1, angles[0]],
        [x1, r1, angles[1]],
        [x0, r0, angles[0]],
        [x1, r1, angles[1]],
        [x0, r0, angles[1]],
      ] as const
      for (const [x, r, a] of quad) {
        positions.push(...corner(x, r, a))
        normals.push(...normal(a))
      }
    }
  }
  return { positions, normals }
}

/** @param values  one for each point */
export function arrowGeometry({ points, vectors }: StageGeometry, values: StageValues | null, motion: StageMotion | null | undefined) {
  const { positions, normals } = form()
  const n = points.length / 3
  const geometry = new THREE.InstancedBufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(positions), 3))
  geometry.setAttribute('normal', new THREE.BufferAttribute(Float32Array.from(normals), 3))
  geometry.setAttribute('start', new THREE.InstancedBufferAttribute(points, 3))
  geometry.setAttribute('along', new THREE.InstancedBufferAttribute(vectors!, 3))
  if (motion?.vectors) geometry.setAttribute('moved', new THREE.InstancedBufferAttribute(motion.vectors, 3))
  geometry.setAttribute('value', new THREE.InstancedBufferAttribute(values?.values ?? new Float32Array(n), 1))
  geometry.instanceCount = n
  return geometry
}
