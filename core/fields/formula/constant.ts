/** Formulas that are one number: constants of a study, which may go through values. */
import { parseFormula } from './parse'

export interface Constant {
  value: number
  /** As it is written; null for a plain number. */
  unit: string | null
}

/** @returns undefined for a formula of any other kind */
export function readConstant(text: string): Constant | undefined {
  try {
    const whole = parseFormula(text)
    const [sign, number] = whole.kind === 'negate' ? [-1, whole.of] : [1, whole]
    return number.kind === 'number' ? { value: sign * number.value, unit: number.unit } : undefined
  } catch {
    return undefined
  }
}

/** With another value; as it is where it is no constant. */
export function withValue(text: string, value: number): string {
  const own = readConstant(text)
  return own ? writeConstant({ ...own, value }) : text
}

export function writeConstant({ value, unit }: Constant): string {
  return unit === null ? String(value) : `${value} '${unit}'`
}
