/**
 * Lines as bands whose sides turn about them as little as they can: frames carried along by double reflection
 * (W. Wang, B. Jüttler, D. Zheng, Y. Liu: Computation of rotation minimizing frames, ACM Trans. Graph. 27(1), 2008).
 */
import * as THREE from 'three'
import type { StageGeometry, StageMotion, StageValues } from './StageObject'

/** Four corners for each segment: both sides of its start, then of its end. */
export function ribbonGeometry(
  { points, elements }: StageGeometry,
  values: StageValues | null,
  motion: StageMotion | null | undefined,
): THREE.BufferGeometry {
  const n = elements.length / 2
  const sides = ribbonSides(points, elements)
  const corners = new Float32Array(12 * n)
  const across = new Float32Array(12 * n)
  const perCorner = new Float32Array(4 * n)
  const moved = motion?.vectors ? new Float32Array(12 * n) : null
  const index = new Uint32Array(6 * n)
  for (let s = 0; s < n; s++) {
    for (let i = 0; i < 4; i++) {
      const [end, sign] = [i >> 1, i & 1 ? 1 : -1]
      const p = elements[2 * s + end]!
      for (let d = 0; d < 3; d++) {
        corners[12 * s + 3 * i + d] = points[3 * p + d]!
        across[12 * s + 3 * i + d] = sign * sides[6 * s + 3 * end + d]!
        if (moved) moved[12 * s + 3 * i + d] = motion!.vectors![3 * p + d]!
      }
      if (values) perCorner[4 * s + i] = values.values[values.place === 'point' ? p : values.place === 'corner' ? 2 * s + end : s]!
    }
    index.set(
      [0, 1, 3, 0, 3, 2].map((i) => 4 * s + i),
      6 * s,
    )
  }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(corners, 3))
  geometry.setAttribute('side', new THREE.BufferAttribute(across, 3))
  geometry.setAttribute('value', new THREE.BufferAttribute(perCorner, 1))
  if (moved) geometry.setAttribute('moved', new THREE.BufferAttribute(moved, 3))
  geometry.setIndex(new THREE.BufferAttribute(index, 1))
  return geometry
}

/**
 * A unit vector across the line at both ends of each segment (6 × n). A line begins level and goes on where a segment starts at the end of
 * the one before it.
 */
export function ribbonSides(points: Float32Array, elements: Uint32Array): Float32Array {
  const n = elements.length / 2
  const out = new Float32Array(6 * n)
  const at = (p: number): THREE.Vector3 => new THREE.Vector3().fromArray(points, 3 * p)
  const along = (s: number): THREE.Vector3 => at(elements[2 * s + 1]!).sub(at(elements[2 * s]!))
  let side = new THREE.Vector3(1, 0, 0)
  let tangent = new THREE.Vector3()
  for (let s = 0; s < n; s++) {
    const step = along(s)
    const goesOn = s + 1 < n && elements[2 * s + 2] === elements[2 * s + 1]
    if (s === 0 || elements[2 * s] !== elements[2 * s - 1]) {
      tangent = step.clone().normalize()
      side = levelSide(tangent)
    }
    side.toArray(out, 6 * s)
    const next = (
      goesOn
        ? step
            .clone()
            .normalize()
            .add(along(s + 1).normalize())
        : step.clone()
    ).normalize()
    if (next.lengthSq() > 0.5 && step.lengthSq() > 0) {
      side = carried(side, tangent, step, next)
      tangent = next
    }
    side.toArray(out, 6 * s + 3)
  }
  return out
}

function levelSide(tangent: THREE.Vector3): THREE.Vector3 {
  const up = Math.abs(tangent.z) < 0.95 ? new THREE.Vector3(0, 0, 1) : new THREE.Vector3(1, 0, 0)
  return new THREE.Vector3().crossVectors(tangent, up).normalize()
}

/** Reflected at the plane between both places, then at that between the tangents. */
function carried(side: THREE.Vector3, tangent: THREE.Vector3, step: THREE.Vector3, next: THREE.Vector3): THREE.Vector3 {
  const reflected = (v: THREE.Vector3, normal: THREE.Vector3): THREE.Vector3 =>
    normal.lengthSq() > 0 ? v.clone().addScaledVector(normal, (-2 * normal.dot(v)) / normal.lengthSq()) : v.clone()
  const [own, turned] = [reflected(side, step), reflected(tangent, step)]
  const found = reflected(own, next.clone().sub(turned))
  return found.addScaledVector(next, -found.dot(next)).normalize()
}
