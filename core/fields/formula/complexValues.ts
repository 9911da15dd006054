/** Functions of what swings with one frequency: a real and an imaginary part, or an amplitude and a phase for each component. */
import type { PointFunction } from './functions'
import { ANY, deviator, productSum, SCALAR, symmetricOf } from './tensors'
import type { LoopWriter } from './tensors'

type Pairing = (writer: LoopWriter, a: string, b: string) => string

/** Component by component. */
function paired(unit: PointFunction['unit'], of: Pairing, about: string): PointFunction {
  return {
    takes: [ANY, ANY],
    isOfPair: true,
    unit,
    gives: ([n]) => n!,
    write: (writer, [a, b]) => a.map((x, c) => of(writer, x, b[c]!)),
    about,
  }
}

/** Sum of products in which the magnitude of a vector, or the equivalent stress of a tensor, is the root of that with itself. */
function product(writer: LoopWriter, a: readonly string[], b: readonly string[]): string {
  return writer.local(a.length === 6 ? `1.5 * (${productSum(a, b)})` : productSum(a, b))
}

export const complexFunctions: Readonly<Record<string, PointFunction>> = {
  atphase: {
    takes: [ANY, ANY, SCALAR],
    isOfPair: true,
    unit: 'turned',
    gives: ([n]) => n!,
    write(writer, [re, im, [angle]]) {
      const [cos, sin] = [writer.local(`Math.cos(${angle})`), writer.local(`Math.sin(${angle})`)]
      return re.map((x, c) => writer.local(`${x} * ${cos} - ${im[c]} * ${sin}`))
    },
    about: "value of a complex quantity at a phase: atphase(re, im, 30 'deg') is re cos φ − im sin φ",
  },
  peak: {
    takes: [ANY, ANY],
    isOfPair: true,
    unit: 'same',
    gives: () => 1,
    // |re cos φ - im sin φ|² is a sine of 2φ about its mean
    write(writer, [re, im]) {
      const [a, b] = [re, im].map((x) => (x.length > 3 ? deviator(writer, symmetricOf(writer, x)) : x)) as [string[], string[]]
      const [aa, bb, ab] = [product(writer, a, a), product(writer, b, b), product(writer, a, b)]
      const swing = writer.local(`Math.hypot(0.5 * (${aa} - ${bb}), ${ab})`)
      return [writer.local(`Math.sqrt(0.5 * (${aa} + ${bb}) + ${swing})`)]
    },
    about: 'largest magnitude over all phases of a complex scalar or vector, largest equivalent stress of a complex tensor: peak(re, im)',
  },
  modulus: paired('same', (writer, a, b) => writer.local(`Math.hypot(${a}, ${b})`), 'amplitude of each component: modulus(re, im)'),
  argument: paired(
    'ratio',
    (writer, a, b) => writer.local(`Math.atan2(${b}, ${a})`),
    'phase of each component in radians: argument(re, im)',
  ),
  real: paired(
    'turned',
    (writer, a, b) => writer.local(`${a} * Math.cos(${b})`),
    'real part by amplitude and phase: real(amplitude, phase)',
  ),
  imaginary: paired(
    'turned',
    (writer, a, b) => writer.local(`${a} * Math.sin(${b})`),
    'imaginary part by amplitude and phase: imaginary(amplitude, phase)',
  ),
}
