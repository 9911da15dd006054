/** What is made of the results of many frames, one after the other: a state that each result is added to. */

export interface Accumulator<Item, State, Result> {
  /** Whether items must come in the order of their frames. */
  order: 'any' | 'sequence'
  begin(): State
  add(state: State, item: Item): State
  /** Undefined while nothing can be said. */
  finish(state: State): Result | undefined
}

/** @param items  in the order of their frames */
export function accumulated<Item, State, Result>(by: Accumulator<Item, State, Result>, items: Iterable<Item>): Result | undefined {
  let state = by.begin()
  for (const item of items) state = by.add(state, item)
  return by.finish(state)
}

/** The items with the smallest and the largest value; those without a value count for nothing. */
export function extremesBy<Item>(valueOf: (item: Item) => number): Accumulator<Item, Item[], { min: Item; max: Item }> {
  return {
    order: 'any',
    begin: () => [],
    add([min, max], item) {
      if (!Number.isFinite(valueOf(item))) return min === undefined ? [] : [min, max!]
      if (min === undefined) return [item, item]
      return [valueOf(item) < valueOf(min) ? item : min, valueOf(item) > valueOf(max!) ? item : max!]
    },
    finish: ([min, max]) => (min === undefined ? undefined : { min, max: max! }),
  }
}

/** The mean of a value along something that grows, such as time: linear from one item to the next; gaps are left out. */
export const meanAlong: Accumulator<{ x: number; y: number }, { last?: { x: number; y: number }; area: number; length: number }, number> = {
  order: 'sequence',
  begin: () => ({ area: 0, length: 0 }),
  add({ last, area, length }, item) {
    if (!Number.isFinite(item.y)) return { area, length }
    if (!last) return { last: item, area, length }
    const step = item.x - last.x
    return { last: item, area: area + (step * (item.y + last.y)) / 2, length: length + step }
  },
  finish: ({ area, length }) => (length > 0 ? area / length : undefined),
}

/** The range that holds all ranges. */
export const wholeRange: Accumulator<{ min: number | null; max: number | null } | null, [number, number], [number, number]> = {
  order: 'any',
  begin: () => [Infinity, -Infinity],
  add: ([low, high], item) => [Math.min(low, item?.min ?? Infinity), Math.max(high, item?.max ?? -Infinity)],
  finish: ([low, high]) => (low <= high ? [low, high] : undefined),
}
