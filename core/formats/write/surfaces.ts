/** Writes triangles as STL and PLY, binary, little-endian. */

export interface WriteTriangles {
  /** (3 × nPoints) */
  points: Float64Array
  /** (3 × nTriangles) */
  elements: Uint32Array
  /** Scalars at the points, by name; PLY only. */
  fields?: { name: string; values: ArrayLike<number> }[]
}

/** Bytes of a binary STL; normals follow from the winding. */
export function writeStl({ points, elements }: WriteTriangles): Uint8Array {
  const n = elements.length / 3
  const out = new Uint8Array(84 + 50 * n)
  const view = new DataView(out.buffer)
  out.set(new TextEncoder().encode('binary surface'), 0)
  view.setUint32(80, n, true)
  for (let f = 0; f < n; f++) {
    const at = 84 + 50 * f
    const [a, b, c] = [0, 1, 2].map((i) => 3 * elements[3 * f + i]!) as [number, number, number]
    const u = [0, 1, 2].map((d) => points[b + d]! - points[a + d]!) as [number, number, number]
    const v = [0, 1, 2].map((d) => points[c + d]! - points[a + d]!) as [number, number, number]
    const normal = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
    const size = Math.hypot(...normal) || 1
    normal.forEach((x, d) => view.setFloat32(at + 4 * d, x / size, true))
    ;[a, b, c].forEach((p, i) => [0, 1, 2].forEach((d) => view.setFloat32(at + 12 + 12 * i + 4 * d, points[p + d]!, true)))
  }
  return out
}

/** Bytes of a binary PLY; coordinates and values keep double precision. */
export function writePly({ points, elements, fields = [] }: WriteTriangles): Uint8Array {
  const n = points.length / 3
  const nFaces = elements.length / 3
  const names = ['x', 'y', 'z', ...fields.map((field) => field.name.replace(/\s+/g, '_'))]
  const header = [
    'ply',
    'format binary_little_endian 1.0',
    `element vertex ${n}`,
    ...names.map((name) => `property double ${name}`),
    `element face ${nFaces}`,
    'property list uchar uint vertex_indices',
    'end_header',
    '',
  ].join('\n')
  const head = new TextEncoder().encode(header)
  const out = new Uint8Array(head.length + 8 * names.length * n + 13 * nFaces)
  out.set(head)
  const view = new DataView(out.buffer)
  let at = head.length
  for (let p = 0; p < n; p++) {
    for (let d = 0; d < 3; d++, at += 8) view.setFloat64(at, points[3 * p + d]!, true)
    for (const { values } of fields) {
      view.setFloat64(at, values[p]!, true)
      at += 8
    }
  }
  for (let f = 0; f < nFaces; f++) {
    view.setUint8(at++, 3)
    for (let i = 0; i < 3; i++, at += 4) view.setUint32(at, elements[3 * f + i]!, true)
  }
  return out
}
