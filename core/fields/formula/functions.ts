/**
 * Functions of formulas that are worked out position by position: what each takes, its unit, how it is computed, what it is for. What needs
 * the mesh around a position (`grad`, `smooth` …) is in `check.ts`.
 */
import { complexFunctions } from './complexValues'
import { ANY, deviator, full, norm, SCALAR, squareOf, symmetricOf, TENSOR, trace, VECTOR } from './tensors'
import type { LoopWriter } from './tensors'

/**
 * Unit of the result.
 *
 *   same     of the arguments, which must agree
 *   plain    none; the arguments have none
 *   ratio    none; the arguments must agree
 *   turned   of the arguments before the last, which must agree; the last is an angle
 *   product  of the arguments
 *   root, square, cube  of the one argument
 */
export type UnitRule = 'same' | 'plain' | 'ratio' | 'turned' | 'product' | 'root' | 'square' | 'cube'

/** Locals of each argument; there are as many as a function takes. */
export type Arguments = readonly [readonly string[], readonly string[], readonly string[], ...(readonly string[])[]]

export interface PointFunction {
  /** Numbers of components that each argument may have. */
  takes: readonly (readonly number[])[]
  /** Further arguments may follow, like the last one. */
  isOpen?: true
  /** Its first two arguments have as many components. */
  isOfPair?: true
  /** The gradient of its argument, a vector, is taken first. */
  ofGradient?: true
  unit: UnitRule
  /** Number of components, by those of the arguments. */
  gives(of: readonly number[]): number
  /** Locals of the result from those of the arguments. */
  write(writer: LoopWriter, of: Arguments): string[]
  /** Said beside its name. */
  about: string
}

/** Of one plain number. */
function plain(name: string, about: string): PointFunction {
  return {
    takes: [SCALAR],
    unit: 'plain',
    gives: () => 1,
    write: (writer, [of]) => [writer.local(`Math.${name}(${of[0]})`)],
    about,
  }
}

function directionRule(i: 0 | 1 | 2, which: string): PointFunction {
  return {
    takes: [TENSOR],
    unit: 'ratio',
    gives: () => 3,
    write: (writer, [a]) => writer.principal(symmetricOf(writer, a)).slice(3 + 3 * i, 6 + 3 * i),
    about: `unit vector along the ${which} principal value of a tensor`,
  }
}

export const functions: Readonly<Record<string, PointFunction>> = {
  mag: {
    takes: [ANY],
    unit: 'same',
    gives: () => 1,
    write: (writer, [a]) => [a.length === 1 ? writer.local(`Math.abs(${a[0]})`) : norm(writer, a)],
    about: 'magnitude of a vector or tensor',
  },
  dot: {
    takes: [
      [3, 6, 9],
      [3, 6, 9],
    ],
    unit: 'product',
    gives: ([a, b]) => (a === 3 && b === 3 ? 1 : a === 3 || b === 3 ? 3 : 9),
    write(writer, [a, b]) {
      const term = (x: readonly string[], y: readonly string[]): string => writer.local(x.map((own, d) => `${own} * ${y[d]}`).join(' + '))
      const rows = (t: readonly string[]): string[][] => [0, 1, 2].map((i) => full(t).slice(3 * i, 3 * i + 3))
      const columns = (t: readonly string[]): string[][] => [0, 1, 2].map((j) => [0, 1, 2].map((i) => full(t)[3 * i + j]!))
      if (a.length === 3 && b.length === 3) return [term(a, b)]
      if (b.length === 3) return rows(a).map((row) => term(row, b))
      if (a.length === 3) return columns(b).map((column) => term(a, column))
      return rows(a).flatMap((row) => columns(b).map((column) => term(row, column)))
    },
    about: 'product of vectors, of a tensor and a vector, or of tensors',
  },
  inner: {
    takes: [TENSOR, TENSOR],
    unit: 'product',
    gives: () => 1,
    write: (writer, [a, b]) => [
      writer.local(
        full(a)
          .map((x, k) => `${x} * ${full(b)[k]}`)
          .join(' + '),
      ),
    ],
    about: 'sum of the products of all components of two tensors',
  },
  outer: {
    takes: [VECTOR, VECTOR],
    unit: 'product',
    gives: () => 9,
    write: (writer, [a, b]) => a.flatMap((x) => b.map((y) => writer.local(`${x} * ${y}`))),
    about: 'tensor of the products of components: outer(a, b).xy = a.x * b.y',
  },
  cross: {
    takes: [VECTOR, VECTOR],
    unit: 'product',
    gives: () => 3,
    write: (writer, [a, b]) =>
      [0, 1, 2].map((d) => {
        const [j, k] = [(d + 1) % 3, (d + 2) % 3]
        return writer.local(`${a[j]} * ${b[k]} - ${a[k]} * ${b[j]}`)
      }),
    about: 'vector product',
  },
  vec: {
    takes: [SCALAR, SCALAR, SCALAR],
    unit: 'same',
    gives: () => 3,
    write: (_, of) => of.map(([x]) => x!),
    about: 'vector of three components',
  },
  unit: {
    takes: [VECTOR],
    unit: 'ratio',
    gives: () => 3,
    write(writer, [a]) {
      const length = norm(writer, a)
      return a.map((x) => writer.local(`${x} / ${length}`))
    },
    about: 'unit vector of the same direction',
  },
  abs: {
    takes: [SCALAR],
    unit: 'same',
    gives: () => 1,
    write: (writer, [[x]]) => [writer.local(`Math.abs(${x})`)],
    about: 'absolute value',
  },
  known: {
    takes: [ANY],
    unit: 'ratio',
    gives: () => 1,
    write: (writer, [a]) => [writer.local(`Number(Number.isFinite(${a.join(' + ')}))`)],
    about: '1 where it is a number, 0 where it is none',
  },
  sign: {
    takes: [SCALAR],
    unit: 'ratio',
    gives: () => 1,
    write: (writer, [[x]]) => [writer.local(`Math.sign(${x})`)],
    about: '−1, 0 or 1',
  },
  sqrt: {
    takes: [SCALAR],
    unit: 'root',
    gives: () => 1,
    write: (writer, [[x]]) => [writer.local(`Math.sqrt(${x})`)],
    about: 'square root',
  },
  exp: plain('exp', 'exponential'),
  log: plain('log', 'natural logarithm'),
  log10: plain('log10', 'decimal logarithm'),
  sin: plain('sin', 'sine of an angle in radians'),
  cos: plain('cos', 'cosine of an angle in radians'),
  tan: plain('tan', 'tangent of an angle in radians'),
  asin: plain('asin', 'arcsine, in radians'),
  acos: plain('acos', 'arccosine, in radians'),
  atan: plain('atan', 'arctangent, in radians'),
  sinh: plain('sinh', 'hyperbolic sine'),
  cosh: plain('cosh', 'hyperbolic cosine'),
  tanh: plain('tanh', 'hyperbolic tangent'),
  floor: plain('floor', 'next whole number below'),
  ceil: plain('ceil', 'next whole number above'),
  round: plain('round', 'nearest whole number'),
  atan2: {
    takes: [SCALAR, SCALAR],
    unit: 'ratio',
    gives: () => 1,
    write: (writer, [[y], [x]]) => [writer.local(`Math.atan2(${y}, ${x})`)],
    about: 'angle of the direction x, y in radians: atan2(y, x)',
  },
  hypot: {
    takes: [SCALAR, SCALAR],
    isOpen: true,
    unit: 'same',
    gives: () => 1,
    write: (writer, of) => [writer.local(`Math.sqrt(${of.map(([x]) => `${x} * ${x}`).join(' + ')})`)],
    about: 'root of the sum of squares: hypot(pos.x, pos.y) is a radius',
  },
  mod: {
    takes: [SCALAR, SCALAR],
    unit: 'same',
    gives: () => 1,
    write: (writer, [[x], [by]]) => [writer.local(`${x} - ${by} * Math.floor(${x} / ${by})`)],
    about: 'what is left of a division',
  },
  // Math.min and Math.max keep what is not a number
  min: {
    takes: [SCALAR, SCALAR],
    isOpen: true,
    unit: 'same',
    gives: () => 1,
    write: (writer, of) => [writer.local(`Math.min(${of.map(([x]) => x).join(', ')})`)],
    about: 'the smallest of the arguments',
  },
  max: {
    takes: [SCALAR, SCALAR],
    isOpen: true,
    unit: 'same',
    gives: () => 1,
    write: (writer, of) => [writer.local(`Math.max(${of.map(([x]) => x).join(', ')})`)],
    about: 'the largest of the arguments',
  },
  clamp: {
    takes: [SCALAR, SCALAR, SCALAR],
    unit: 'same',
    gives: () => 1,
    write: (writer, [[x], [low], [high]]) => [writer.local(`Math.min(Math.max(${x}, ${low}), ${high})`)],
    about: 'held between two limits: clamp(x, low, high)',
  },
  trace: {
    takes: [TENSOR],
    unit: 'same',
    gives: () => 1,
    write: (writer, [a]) => [trace(writer, a)],
    about: 'sum of the diagonal of a tensor',
  },
  transpose: {
    takes: [TENSOR],
    unit: 'same',
    gives: ([n]) => n!,
    write: (_, [a]) => (a.length === 6 ? [...a!] : [0, 3, 6, 1, 4, 7, 2, 5, 8].map((k) => a[k]!)),
    about: 'tensor with rows and columns exchanged',
  },
  sym: {
    takes: [TENSOR],
    unit: 'same',
    gives: () => 6,
    write: (writer, [a]) => symmetricOf(writer, a),
    about: 'symmetric part of a tensor',
  },
  skew: {
    takes: [[9]],
    unit: 'same',
    gives: () => 9,
    write: (writer, [a]) =>
      [0, 1, 2].flatMap((i) => [0, 1, 2].map((j) => writer.local(i === j ? '(0)' : `0.5 * (${a[3 * i + j]} - ${a[3 * j + i]})`))),
    about: 'skew part of a tensor',
  },
  det: {
    takes: [TENSOR],
    unit: 'cube',
    gives: () => 1,
    write(writer, [a]) {
      const [xx, xy, xz, yx, yy, yz, zx, zy, zz] = full(a)
      return [
        writer.local(
          `${xx} * (${yy} * ${zz} - ${yz} * ${zy}) - ${xy} * (${yx} * ${zz} - ${yz} * ${zx}) + ${xz} * (${yx} * ${zy} - ${yy} * ${zx})`,
        ),
      ]
    },
    about: 'determinant of a tensor',
  },
  deviator: {
    takes: [TENSOR],
    unit: 'same',
    gives: ([n]) => n!,
    write: (writer, [a]) => deviator(writer, a),
    about: 'tensor without its hydrostatic part, trace(T) / 3',
  },
  equivalent: {
    takes: [TENSOR],
    unit: 'same',
    gives: () => 1,
    // von Mises (1913)
    write: (writer, [a]) => [writer.local(`${norm(writer, deviator(writer, symmetricOf(writer, a)))} * Math.sqrt(1.5)`)],
    about: 'equivalent (von Mises) stress of a stress tensor',
  },
  principal: {
    takes: [TENSOR],
    unit: 'same',
    gives: () => 3,
    write: (writer, [a]) => writer.principal(symmetricOf(writer, a)).slice(0, 3),
    about: 'principal values of the symmetric part: .x is the largest, .z the smallest',
  },
  direction1: directionRule(0, 'largest'),
  direction2: directionRule(1, 'middle'),
  direction3: directionRule(2, 'smallest'),
  strain: {
    takes: [[9]],
    ofGradient: true,
    unit: 'same',
    gives: () => 6,
    write: (writer, [g]) => symmetricOf(writer, g),
    about: 'small strain of a displacement, or rate of strain of a velocity: sym(grad(u))',
  },
  qcriterion: {
    takes: [[9]],
    ofGradient: true,
    unit: 'square',
    gives: () => 1,
    // Hunt, Wray and Moin (1988): half of |rotation|² - |strain|²
    write(writer, [g]) {
      const squared = squareOf(writer, g)
      return [writer.local(`-0.5 * (${squared[0]} + ${squared[4]} + ${squared[8]})`)]
    },
    about: 'vortex criterion Q of a velocity: above 0 it turns more than it is strained',
  },
  lambda2: {
    takes: [[9]],
    ofGradient: true,
    unit: 'square',
    gives: () => 1,
    // Jeong and Hussain (1995): middle principal value of strain² + rotation², which is the symmetric part of the gradient squared
    write: (writer, [g]) => [writer.principal(symmetricOf(writer, squareOf(writer, g)))[1]!],
    about: 'vortex criterion λ₂ of a velocity: below 0 in the core of a vortex',
  },
  ...complexFunctions,
}

/** Those that look at the mesh around a position, and the choice: how many arguments they take, and what they are for. */
export const meshFunctions: Readonly<Record<string, { takes: number; about: string }>> = {
  grad: { takes: 1, about: 'gradient, in the cells of a region' },
  div: { takes: 1, about: 'divergence of a vector, in the cells of a region' },
  curl: { takes: 1, about: 'curl of a vector, in the cells of a region' },
  smooth: { takes: 1, about: 'values on cells as values on points; values on points evened out' },
  cells: { takes: 1, about: 'values on points as the mean over each cell' },
  if: { takes: 3, about: 'if(condition, a, b): a where it holds, else b' },
}
