/** Loops of formulas over the components of vectors and tensors: symmetric ones are xx yy zz xy yz xz, others go row by row. */

/** Numbers of components. */
export const SCALAR = [1]
export const VECTOR = [3]
export const TENSOR = [6, 9]
export const ANY = [1, 3, 6, 9]

/** Writes the loop of a formula: every scalar subexpression is one local, equal ones are the same. */
export interface LoopWriter {
  local(source: string): string
  /** Principal values of a symmetric tensor from the largest down, then the unit vectors along them. @param of  xx yy zz xy yz xz */
  principal(of: readonly string[]): string[]
}

/** Rows of a tensor one after the other. */
export function full(a: readonly string[]): string[] {
  if (a.length === 9) return [...a]
  const [xx, yy, zz, xy, yz, xz] = a as [string, string, string, string, string, string]
  return [xx, xy, xz, xy, yy, yz, xz, yz, zz]
}

/** xx yy zz xy yz xz of the symmetric part. */
export function symmetricOf(writer: LoopWriter, a: readonly string[]): string[] {
  if (a.length === 6) return [...a]
  const half = (i: number, j: number): string => writer.local(`0.5 * (${a[i]} + ${a[j]})`)
  return [a[0]!, a[4]!, a[8]!, half(1, 3), half(5, 7), half(2, 6)]
}

export function trace(writer: LoopWriter, a: readonly string[]): string {
  return writer.local(a.length === 6 ? `${a[0]} + ${a[1]} + ${a[2]}` : `${a[0]} + ${a[4]} + ${a[8]}`)
}

export function deviator(writer: LoopWriter, a: readonly string[]): string[] {
  const third = writer.local(`${trace(writer, a)} / 3`)
  return a.map((x, c) => ((a.length === 6 ? c < 3 : c % 4 === 0) ? writer.local(`${x} - ${third}`) : x))
}

/** Sum of the products of components; a symmetric tensor counts those of shear twice. */
export function productSum(a: readonly string[], b: readonly string[]): string {
  return a.map((x, c) => (a.length === 6 && c >= 3 ? `2 * ${x} * ${b[c]}` : `${x} * ${b[c]}`)).join(' + ')
}

export function norm(writer: LoopWriter, a: readonly string[]): string {
  return writer.local(`Math.sqrt(${productSum(a, a)})`)
}

/** Product of a tensor with itself, rows one after the other. */
export function squareOf(writer: LoopWriter, g: readonly string[]): string[] {
  return Array.from({ length: 9 }, (_, k) => {
    const [i, j] = [Math.floor(k / 3), k % 3]
    return writer.local([0, 1, 2].map((m) => `${g[3 * i + m]} * ${g[3 * m + j]}`).join(' + '))
  })
}
