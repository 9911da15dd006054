/** When and where things are let go. */
import type { Vector } from '../mesh/vectors'
import type { Release } from './paths'

/** Of one place, at one time, of one size; all by their numbers. */
export interface Let extends Release {
  place: number
  release: number
  size: number
}

/**
 * @param moments    in the order in which they are gone through
 * @param every      time from one release to the next
 * @param diameters  one for each size
 */
export function letGoAt(
  places: readonly Vector[],
  moments: readonly { time: number }[],
  { release, every, diameters }: { release: string; every: number; diameters: readonly number[] },
): Let[] {
  const [first, last] = [moments[0]!.time, moments[moments.length - 1]!.time]
  const times =
    release === 'once'
      ? [first]
      : release === 'moments'
        ? moments.slice(0, -1).map(({ time }) => time)
        : // a release at the very end would go nowhere
          Array.from({ length: Math.max(1, Math.ceil((last - first) / every - 1e-9)) }, (_, i) => first + i * every)
  return times.flatMap((time, n) =>
    places.flatMap((position, place) => diameters.map((_, size): Let => ({ position, time, place, release: n, size }))),
  )
}
