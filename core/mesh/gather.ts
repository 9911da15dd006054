/** Values of some items in the order of their numbers. */
import type { FloatArray } from './MeshBlock'

/** values[numbers[i]] for vectors of `components` numbers; keeps the number type. */
export function gather(values: FloatArray, numbers: Uint32Array, components: number): FloatArray {
  const n = numbers.length
  const out = values instanceof Float32Array ? new Float32Array(n * components) : new Float64Array(n * components)
  if (components === 1) {
    for (let i = 0; i < n; i++) out[i] = values[numbers[i]!]!
    return out
  }
  if (components === 3) {
    for (let i = 0, o = 0; i < n; i++, o += 3) {
      const from = numbers[i]! * 3
      out[o] = values[from]!
      out[o + 1] = values[from + 1]!
      out[o + 2] = values[from + 2]!
    }
    return out
  }
  for (let i = 0, o = 0; i < n; i++) {
    const from = numbers[i]! * components
    for (let c = 0; c < components; c++) out[o++] = values[from + c]!
  }
  return out
}
