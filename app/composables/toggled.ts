/** A list with an item taken out where it was in, else put behind the others: boxes that can be ticked. */
export function toggled<T>(list: readonly T[], item: T): T[] {
  return list.includes(item) ? list.filter((other) => other !== item) : [...list, item]
}
