/** Round numbers for legends and axes, and numbers as text. */

/** Round values within [min, max], about `count` of them. Steps are 1, 2 or 5 times a power of ten. */
export function ticks(min: number, max: number, count: number): number[] {
  // ends that differ only by rounding are one value: there are no round numbers between them
  const isOne = !(max - min > 1e-10 * Math.max(Math.abs(min), Math.abs(max)))
  if (isOne || !Number.isFinite(max - min)) return Number.isFinite(min) ? [Number(min.toPrecision(9))] : []
  const rough = (max - min) / Math.max(count, 1)
  const power = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough * (1 - 1e-9))!
  const list: number[] = []
  for (let k = Math.ceil(min / step - 1e-9); k * step <= max + step * 1e-9; k++) list.push(Number((k * step).toPrecision(12)))
  return list
}

/** The largest of 1, 2 and 5 times powers of ten that is not above a number; 0 where there is none. */
export function roundBelow(x: number): number {
  if (!(x > 0) || !Number.isFinite(x)) return 0
  const power = 10 ** Math.floor(Math.log10(x) + 1e-12)
  const digit = [5, 2, 1].find((m) => m * power <= x * (1 + 1e-12)) ?? 1
  return Number((digit * power).toPrecision(12))
}

/** A number with so many significant digits: thin spaces between thousands, powers of ten where they are shorter. */
export function formatNumber(value: number, digits = 4): string {
  if (Number.isNaN(value)) return 'not a number'
  if (!Number.isFinite(value)) return value > 0 ? '∞' : '−∞'
  if (value === 0) return '0'
  const size = Math.abs(value)
  const text = size < 1e-3 || size >= 1e6 ? exponential(value, digits) : plain(Number(value.toPrecision(digits)))
  return text.replaceAll('-', '−')
}

export const numberFormats = ['auto', 'fixed', 'scientific', 'engineering'] as const
export type NumberFormat = (typeof numberFormats)[number]

/** A number in a format. @param digits  behind the point; of `auto` significant ones */
export function formatAs(value: number, format: NumberFormat = 'auto', digits?: number): string {
  if (format === 'auto' || !Number.isFinite(value)) return formatNumber(value, digits ?? 4)
  if (format === 'fixed') return value.toFixed(digits ?? 2).replaceAll('-', '−')
  const power = value === 0 ? 0 : Math.floor(Math.log10(Math.abs(value)))
  const exponent = format === 'engineering' ? 3 * Math.floor(power / 3) : power
  return `${(value / 10 ** exponent).toFixed(digits ?? 2)}e${exponent}`.replaceAll('-', '−')
}

/** Digits that distinguish the numbers of a range: four, more for a range that is narrow relative to its values, at most eight. */
export function digitsWithin(low: number, high: number): number {
  const ratio = Math.max(Math.abs(low), Math.abs(high)) / (high - low)
  return Number.isFinite(ratio) && ratio > 0 ? Math.min(8, Math.max(4, Math.ceil(Math.log10(ratio)) + 2)) : 4
}

/** A number of things: all its digits. */
export function formatCount(n: number): string {
  return plain(n)
}

function plain(value: number): string {
  const [whole, part] = Math.abs(value).toString().split('.') as [string, string | undefined]
  const grouped = whole.length > 4 ? whole.replace(/\B(?=(\d{3})+$)/g, '\u2009') : whole
  return `${value < 0 ? '-' : ''}${grouped}${part ? `.${part}` : ''}`
}

function exponential(value: number, digits: number): string {
  const [mantissa, exponent] = value.toExponential(digits - 1).split('e') as [string, string]
  return `${Number(mantissa)}e${exponent.replace('+', '')}`
}
