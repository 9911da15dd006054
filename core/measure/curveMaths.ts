/** What is worked out from curves: on common abscissae, integrals, slopes, means that move along, and fits. */
import { DataError } from '../errors'

export interface PlainPoints {
  x: ArrayLike<number>
  /** Not-a-number is a gap. */
  y: ArrayLike<number>
}

export interface Points {
  x: Float64Array
  y: Float64Array
}

/** Points with both coordinates, in rising order of the abscissa. Of several at one abscissa all stay, in their order. */
export function inOrder({ x, y }: PlainPoints): Points {
  const kept = Array.from(x, (_, i) => i).filter((i) => Number.isFinite(x[i]) && Number.isFinite(y[i]))
  kept.sort((a, b) => x[a]! - x[b]! || a - b)
  return { x: Float64Array.from(kept, (i) => x[i]!), y: Float64Array.from(kept, (i) => y[i]!) }
}

/**
 * Linearly between points in rising order: exact for straight pieces, second order else. Not-a-number beyond the ends; at a jump the
 * mean of both sides.
 */
export function valueAt({ x, y }: Points, at: number): number {
  const n = x.length
  if (!n || at < x[0]! || at > x[n - 1]!) return NaN
  let [low, high] = [0, n - 1]
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if (x[middle]! < at) low = middle
    else high = middle
  }
  if (x[low] === at) high = low
  if (x[high] === at) {
    let last = high
    while (last + 1 < n && x[last + 1] === at) last++
    return (y[high]! + y[last]!) / 2
  }
  const t = (at - x[low]!) / (x[high]! - x[low]!)
  return y[low]! + t * (y[high]! - y[low]!)
}

/** On other abscissae; gaps of the curve stay gaps, since nothing is known there. */
export function resampled(curve: PlainPoints, at: ArrayLike<number>): Float64Array {
  const runs = runsOf(curve)
  return Float64Array.from(at, (place) => {
    for (const run of runs) {
      const value = valueAt(run, place)
      if (!Number.isNaN(value)) return value
    }
    return NaN
  })
}

/** Pieces of a curve between its gaps, each in rising order. */
function runsOf({ x, y }: PlainPoints): Points[] {
  const runs: Points[] = []
  let start = 0
  for (let i = 0; i <= x.length; i++) {
    if (i < x.length && Number.isFinite(x[i]) && Number.isFinite(y[i])) continue
    if (i > start) runs.push(inOrder({ x: Array.from(x).slice(start, i), y: Array.from(y).slice(start, i) }))
    start = i + 1
  }
  return runs
}

/** Evenly spaced abscissae between the ends of a curve. */
export function evenAbscissae(curve: PlainPoints, n: number): Float64Array {
  const { x } = inOrder(curve)
  const [low, high] = [x[0] ?? NaN, x.at(-1) ?? NaN]
  return Float64Array.from({ length: n }, (_, i) => (i === n - 1 ? high : low + ((high - low) * i) / (n - 1)))
}

/** From its beginning to each point, by trapezoids: exact for straight pieces, second order else. */
export function integralAlong(curve: PlainPoints): Points {
  const { x, y } = inOrder(curve)
  const sums = new Float64Array(x.length)
  for (let i = 1; i < x.length; i++) sums[i] = sums[i - 1]! + ((x[i]! - x[i - 1]!) * (y[i]! + y[i - 1]!)) / 2
  return { x, y: sums }
}

/** By the parabola through three neighbours: second order on uneven steps too, exact for parabolas, at the ends as well. */
export function slopeAlong(curve: PlainPoints): Points {
  const { x, y } = inOrderOnce(curve)
  const n = x.length
  if (n < 2) throw new DataError('few-points', 'A slope needs at least two points at different abscissae.')
  if (n === 2) return { x, y: new Float64Array(2).fill((y[1]! - y[0]!) / (x[1]! - x[0]!)) }
  const slopes = Float64Array.from(x, (at, i) => {
    const k = Math.min(Math.max(i, 1), n - 2)
    const [a, b, c] = [x[k - 1]!, x[k]!, x[k + 1]!]
    return (
      (y[k - 1]! * (2 * at - b - c)) / ((a - b) * (a - c)) +
      (y[k]! * (2 * at - a - c)) / ((b - a) * (b - c)) +
      (y[k + 1]! * (2 * at - a - b)) / ((c - a) * (c - b))
    )
  })
  return { x, y: slopes }
}

/** In rising order, of several points at one abscissa their mean. */
export function inOrderOnce(curve: PlainPoints): Points {
  const { x, y } = inOrder(curve)
  const [xs, ys]: [number[], number[]] = [[], []]
  for (let i = 0, end = 0; i < x.length; i = end) {
    let sum = 0
    for (end = i; end < x.length && x[end] === x[i]; end++) sum += y[end]!
    xs.push(x[i]!)
    ys.push(sum / (end - i))
  }
  return { x: Float64Array.from(xs), y: Float64Array.from(ys) }
}

/** Mean over a width about each point by the integral of the curve; the width shrinks at the ends, so that it stays about the point. */
export function movingMean(curve: PlainPoints, width: number): Points {
  const points = inOrder(curve)
  const { x } = points
  const integral = integralAlong(points)
  const [low, high] = [x[0] ?? NaN, x.at(-1) ?? NaN]
  const upTo = (at: number): number => {
    // between two points the integral is a parabola: that of the straight piece
    let i = lastBefore(x, at)
    if (i >= x.length - 1) i = x.length - 2
    if (i < 0) return 0
    const value = valueAt(points, at)
    return integral.y[i]! + ((at - x[i]!) * (points.y[i]! + value)) / 2
  }
  return {
    x,
    y: Float64Array.from(x, (at, i) => {
      const half = Math.min(width / 2, at - low, high - at)
      return half > 0 ? (upTo(at + half) - upTo(at - half)) / (2 * half) : points.y[i]!
    }),
  }
}

function lastBefore(x: Float64Array, at: number): number {
  let [low, high] = [0, x.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (x[middle]! <= at) low = middle + 1
    else high = middle
  }
  return low - 1
}

export const fitKinds = ['line', 'parabola', 'cubic', 'power', 'exponential'] as const
export type FitKind = (typeof fitKinds)[number]

export interface Fit {
  y: Float64Array
  /** With numbers in the units of the curve. */
  formula: string
  /** Root of the mean squared distance, in the unit of the values. */
  residual: number
  /** Share of the variance that is explained. */
  determination: number
}

/**
 * Least squares: of polynomials by their values, of powers and exponentials by the logarithms of them.
 *
 * @throws DataError where there are too few points, or values that have no logarithm
 */
export function fitted(curve: PlainPoints, kind: FitKind, write: (x: number) => string): Fit & { x: Float64Array } {
  const { x, y } = inOrder(curve)
  const degree = { line: 1, parabola: 2, cubic: 3, power: 1, exponential: 1 }[kind]
  if (new Set(x).size <= degree) {
    throw new DataError(
      'few-points',
      `A ${kind} needs at least ${degree + 1} points at different abscissae; the curve has ${new Set(x).size}.`,
    )
  }
  const isLog = kind === 'power' || kind === 'exponential'
  if (isLog && (y.some((v) => v <= 0) || (kind === 'power' && x.some((v) => v <= 0)))) {
    throw new DataError('no-log', `A ${kind} is fitted to values above 0 only${kind === 'power' ? ', at abscissae above 0' : ''}.`)
  }
  const xs = kind === 'power' ? x.map(Math.log) : x
  const { factors, at } = polynomial(xs, isLog ? y.map(Math.log) : y, degree)
  const found = xs.map((v) => (isLog ? Math.exp(at(v)) : at(v)))
  const mean = y.reduce((sum, v) => sum + v, 0) / y.length
  const squares = y.reduce((sum, v, i) => sum + (v - found[i]!) ** 2, 0)
  const spread = y.reduce((sum, v) => sum + (v - mean) ** 2, 0)
  return {
    x,
    y: found,
    formula: formulaOf(kind, factors, write),
    residual: Math.sqrt(squares / y.length),
    determination: spread > 0 ? 1 - squares / spread : 1,
  }
}

function formulaOf(kind: FitKind, factors: readonly number[], write: (x: number) => string): string {
  const [a, b] = factors as [number, number]
  if (kind === 'power') return `${write(Math.exp(a))} x^${write(b)}`
  if (kind === 'exponential') return `${write(Math.exp(a))} exp(${write(b)} x)`
  return factors
    .map((factor, i) => ({ factor, power: ['', ' x', ' x²', ' x³'][i]! }))
    .reverse()
    .map(({ factor, power }, i) => `${i === 0 ? (factor < 0 ? '−' : '') : factor < 0 ? ' − ' : ' + '}${write(Math.abs(factor))}${power}`)
    .join('')
}

/**
 * Factors of a polynomial, the constant first, and its value at an abscissa. Solved for powers of the abscissa scaled to −1 … 1 by an
 * orthogonal basis (Forsythe 1957), so that high abscissae cost no digits, then written for the abscissa itself.
 */
function polynomial(x: ArrayLike<number>, y: ArrayLike<number>, degree: number): { factors: number[]; at: (v: number) => number } {
  const n = x.length
  let [low, high] = [Infinity, -Infinity]
  for (let i = 0; i < n; i++) [low, high] = [Math.min(low, x[i]!), Math.max(high, x[i]!)]
  const [middle, half] = [(low + high) / 2, (high - low) / 2]
  const t = Float64Array.from(x, (v) => (v - middle) / half)
  const sum = (of: (i: number) => number): number => {
    let total = 0
    for (let i = 0; i < n; i++) total += of(i)
    return total
  }
  const added = (a: readonly number[], b: readonly number[], by: number): number[] =>
    Array.from({ length: Math.max(a.length, b.length) }, (_, i) => (a[i] ?? 0) + by * (b[i] ?? 0))
  const valueOf = (factors: readonly number[], v: number): number => factors.reduceRight((total, factor) => total * v + factor, 0)
  let [before, basis]: [number[], number[]] = [[], [1]]
  let norm = 1
  let inT: number[] = []
  for (let k = 0; k <= degree; k++) {
    const own = Float64Array.from(t, (v) => valueOf(basis, v))
    const size = sum((i) => own[i]! ** 2)
    inT = added(inT, basis, sum((i) => own[i]! * y[i]!) / size)
    const shift = sum((i) => t[i]! * own[i]! ** 2) / size
    const next = added(added([0, ...basis], basis, -shift), before, k ? -size / norm : 0)
    ;[before, basis, norm] = [basis, next, size]
  }
  // of (x − middle) / half
  let [factors, power]: [number[], number[]] = [[], [1]]
  for (const factor of inT) {
    factors = added(factors, power, factor)
    power = added([0, ...power.map((p) => p / half)], power, -middle / half)
  }
  return { factors: factors.slice(0, degree + 1), at: (v) => valueOf(inT, (v - middle) / half) }
}
