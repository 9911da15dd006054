/** Settings and words of steps that cut once or several times, evenly. */
import { Type } from '@sinclair/typebox'
import type { ChoiceOption, SentencePiece } from './offers'

export const MOST_CUTS = 200

export const seriesSettings = {
  series: Type.Union([Type.Literal('one'), Type.Literal('several')], { default: 'one' }),
  /** Of several, the first one included. */
  count: Type.Integer({ minimum: 1, maximum: MOST_CUTS, default: 5 }),
}

/**
 * @param spacing  the setting that holds the distance from one to the next
 * @param words    further ones that mean several
 * @param others   what there is besides
 */
export function seriesSentence(
  series: unknown,
  spacing: Extract<SentencePiece, { token: 'number' }>,
  words: readonly string[] = [],
  others: readonly ChoiceOption[] = [],
): SentencePiece[] {
  const options = [
    { value: 'one', label: 'once' },
    { value: 'several', label: 'several times', words: ['several', 'series', 'repeated', ...words] },
    ...others,
  ]
  const choice: SentencePiece = { token: 'choice', setting: 'series', options }
  if (series !== 'several') return [', ', choice]
  return [', ', choice, ': ', { token: 'number', setting: 'count', quantity: 'count' }, ', ', spacing, ' apart']
}

/** Steps from the first cut to each. */
export function seriesSteps({ series, count, spacing }: { series: string; count: number; spacing: number }): number[] {
  if (series !== 'several') return [0]
  return Array.from({ length: count }, (_, i) => i * spacing)
}
