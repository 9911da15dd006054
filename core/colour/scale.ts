/** From values to colours: linear or logarithmic, smooth, in equal bands or between listed levels, and what lies beyond. */
import { ticks } from './ticks'

export interface ColourScale {
  min: number
  max: number
  /** Smooth when 0; ignored where levels are listed. */
  bands: number
  isLog?: boolean | undefined
  /** Ascending, at least two: one colour between each and the next. */
  levels?: readonly number[] | undefined
}

/** Levels that are told apart by the shader. */
export const MOST_LEVELS = 64
/** Of the largest value: where a logarithmic scale begins whose smallest value is not above 0. */
const LEAST_SHARE = 1e-4
/** Of the range: values beyond its ends by less are rounded to them. */
const ROUNDING = 2e-6

/** Ends that a scale can have: those of its levels, and above 0 where it is logarithmic. */
export function fittingScale({ levels, isLog, ...scale }: ColourScale): ColourScale {
  if (levels && levels.length > 1) {
    const own = [...levels].sort((a, b) => a - b).slice(0, MOST_LEVELS)
    return { ...scale, min: own[0]!, max: own[own.length - 1]!, levels: own }
  }
  if (!isLog || !(scale.max > 0)) return scale
  return { ...scale, isLog, min: scale.min > 0 ? scale.min : LEAST_SHARE * scale.max }
}

/** Levels at whole multiples of a step that hold a range, ends and all; none where they would be too many. */
export function levelsByStep(step: number, min: number, max: number): number[] {
  const first = Math.floor(min / step + 1e-9)
  const last = Math.max(Math.ceil(max / step - 1e-9), first + 1)
  if (!(step > 0) || !(last - first < MOST_LEVELS)) return []
  return Array.from({ length: last - first + 1 }, (_, i) => Number(((first + i) * step).toPrecision(12)))
}

/** Where a value stands between the ends, 0 to 1 and beyond. */
export function shareOf(value: number, { min, max, isLog }: ColourScale): number {
  if (!(max > min)) return 0.5
  return isLog ? Math.log(value / min) / Math.log(max / min) : (value - min) / (max - min)
}

/** The value at a share of the way between the ends. */
export function valueAt(share: number, { min, max, isLog }: ColourScale): number {
  return isLog ? min * (max / min) ** share : min + share * (max - min)
}

/** Whether a value lies below or above the ends. */
export function beyond(value: number, { min, max }: ColourScale): 'low' | 'high' | null {
  const slack = ROUNDING * Math.max(max - min, Math.abs(min), Math.abs(max))
  return value < min - slack ? 'low' : value > max + slack ? 'high' : null
}

/** Place of the colour of a value in its map, 0 to 1: the same within a band. */
export function colourPlace(value: number, scale: ColourScale): number {
  const { levels, bands } = scale
  if (levels) {
    const n = levels.length - 1
    let i = 0
    while (i < n - 1 && value >= levels[i + 1]!) i++
    return (i + 0.5) / n
  }
  const share = shareOf(value, scale)
  const t = Number.isNaN(share) ? 0 : Math.min(Math.max(share, 0), 1)
  return bands > 0 ? (Math.min(Math.floor(t * bands), bands - 1) + 0.5) / bands : t
}

/** Values to be written beside a scale, about so many. */
export function scaleTicks(scale: ColourScale, count: number): number[] {
  const { levels, isLog, min, max } = scale
  if (levels) {
    const every = Math.max(1, Math.ceil(levels.length / (2 * count)))
    return levels.filter((_, i) => i % every === 0 || i === levels.length - 1)
  }
  if (!isLog || !(max > min)) return ticks(min, max, count)
  // powers of ten, and with few of them their doubles and quintuples
  const decades = Math.log10(max / min)
  if (decades < 1) return ticks(min, max, count)
  const steps = decades > 0.7 * count ? [1] : decades > 0.4 * count ? [1, 3] : [1, 2, 5]
  const every = Math.max(1, Math.ceil(decades / (1.5 * count)))
  const first = Math.floor(Math.log10(min))
  const found: number[] = []
  for (let k = first; k <= Math.ceil(Math.log10(max)); k += every) for (const step of steps) found.push(step * 10 ** k)
  return found.filter((value) => beyond(value, scale) === null).map((value) => Number(value.toPrecision(12)))
}
