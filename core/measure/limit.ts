/** What a reading must keep to, and whether it does: “at most 500 Pa”, “at least 0.2”, “1 to 2 m/s”. */
import { inUnit, readAmount } from '../units/typedNumbers'
import type { TypedNumber } from '../units/typedNumbers'

export interface Limit {
  /** Absent: without an end on that side. */
  low?: TypedNumber
  high?: TypedNumber
}

const HIGH = /^(?:at most|max(?:imum)?|below|under|up to|<=|≤|<)\s*/i
const LOW = /^(?:at least|min(?:imum)?|above|over|from|>=|≥|>)\s*/i

/** @returns a sentence on what is wrong, or undefined for a text without one: no limit */
export function readLimit(text: string): Limit | string | undefined {
  const plain = text.trim().replace(/[.]$/, '')
  if (plain === '' || plain.toLowerCase() === 'none' || plain.toLowerCase() === 'no limit') return undefined
  const [from, to, ...more] = plain.replace(LOW, '').split(/\s*(?:\bto\b|\.\.\.?|…|–)\s*/)
  if (to !== undefined && !more.length && !HIGH.test(plain)) {
    const [low, high] = [numberIn(from!), numberIn(to)]
    if (typeof low === 'string') return low
    if (typeof high === 'string') return high
    return { low: { ...low, unit: low.unit ?? high.unit }, high }
  }
  const side = HIGH.test(plain) ? 'high' : LOW.test(plain) ? 'low' : undefined
  if (!side) return 'Write “at most 500 Pa”, “at least 0.2” or “1 to 2 m/s”.'
  const number = numberIn(plain.replace(side === 'high' ? HIGH : LOW, ''))
  return typeof number === 'string' ? number : { [side]: number }
}

function numberIn(text: string): TypedNumber | string {
  return readAmount(text, '500 Pa')
}

/** Whether a number keeps to a limit; a sentence where that cannot be told. */
export function keepsTo(limit: Limit, { value, unit }: { value: number; unit: string | null }): boolean | string {
  if (!Number.isFinite(value)) return 'There is no number to compare with the limit.'
  for (const side of ['low', 'high'] as const) {
    const end = limit[side]
    if (!end) continue
    if (end.unit !== undefined && unit === null) return 'The unit of the reading is unknown, so its limit cannot have one.'
    const at = unit === null ? end.value : inUnit(end, unit)
    if (at === null) return `${end.unit} cannot be compared with ${unit}; write the limit in ${unit}.`
    if (side === 'low' ? value < at : value > at) return false
  }
  return true
}

/** In words, for those who read a table: empty where there is no limit. */
export function verdictOf(text: string | undefined, reading: { value: number; unit: string | null }): string {
  const limit = text === undefined ? undefined : readLimit(text)
  if (limit === undefined) return ''
  if (typeof limit === 'string') return limit
  const found = keepsTo(limit, reading)
  return typeof found === 'string' ? found : found ? 'pass' : 'fail'
}
