/** Which moment of one case stands for a moment of another. */
import type { Moment } from '../case/catalogue'

type Moments = readonly Pick<Moment, 'index' | 'kind' | 'value'>[]

/** `nearest`: by value, the one that is nearest; `value`: equal values only; `index`: by number; `phase`: as far through all of its own. */
export const matches = ['nearest', 'value', 'index', 'phase'] as const
export type Match = (typeof matches)[number]

export const matchWords: Record<Match, string> = {
  nearest: 'nearest value',
  value: 'same value',
  index: 'same number',
  phase: 'same share of the span',
}

/** Values that differ by less, as a share of the span of both, are the same. */
const SAME = 1e-6

/**
 * A case with one moment has that for all of another one.
 *
 * @param at  index in `from`
 * @returns index in `to`; null where there is no such moment
 */
export function matchedMoment(from: Moments, at: number, to: Moments, how: Match): number | null {
  if (to.length < 2) return to.length ? 0 : null
  const own = from[at]
  if (!own) return null
  if (from.length < 2 && how !== 'value') return Math.min(at, to.length - 1)
  if (how === 'index') return at < to.length ? at : null
  if (how === 'phase') return Math.round((at / Math.max(from.length - 1, 1)) * (to.length - 1))
  const comparable = to.filter((m) => m.kind === own.kind && m.value !== null)
  // moments without values are known by their number
  if (own.value === null || !comparable.length) return at < to.length ? at : null
  const near = comparable.reduce((a, b) => (Math.abs(b.value! - own.value!) < Math.abs(a.value! - own.value!) ? b : a))
  const values = [...from, ...to].flatMap(({ value }) => (value === null ? [] : [value]))
  const isSame = Math.abs(near.value! - own.value) <= SAME * (Math.max(...values) - Math.min(...values))
  return how === 'value' && !isSame ? null : near.index
}
