/**
 * Which times a case has, and which of them have a mesh and fields of their own, by the names of its files. Each name is looked at once:
 * a long run has hundreds of thousands.
 */

const NUMBER = /^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?$/

/** Folders of times below a processor's folder, in the order of time. */
export function timesOf(names: Iterable<string>, processor: string): string[] {
  const found = new Set<string>()
  for (const name of names) {
    const end = name.startsWith(processor) ? name.indexOf('/', processor.length) : -1
    if (end > 0) found.add(name.slice(processor.length, end))
  }
  return [...found].filter((name) => NUMBER.test(name)).sort((a, b) => Number(a) - Number(b))
}

/**
 * For each time the folder of the time at which the points of the mesh were last written; undefined where they are those of the
 * beginning.
 */
export function movesOf(names: ReadonlySet<string>, processor: string, times: readonly string[], prefix: string): (string | undefined)[] {
  let moved: string | undefined
  return times.map((time) => {
    const path = `${processor}${time}/${prefix}polyMesh/points`
    if (names.has(path) || names.has(`${path}.gz`)) moved = time
    return moved
  })
}

/** Files of the same name in the folders of times, with the indices of the times that have them. */
export function filesOfTimes(names: Iterable<string>, processor: string, times: readonly string[], prefix: string): Map<string, number[]> {
  const moments = new Map(times.map((time, moment) => [time, moment]))
  const found = new Map<string, number[]>()
  for (const path of names) {
    if (!path.startsWith(processor)) continue
    const end = path.indexOf('/', processor.length)
    const moment = end > 0 ? moments.get(path.slice(processor.length, end)) : undefined
    if (moment === undefined || !path.startsWith(prefix, end + 1)) continue
    const name = path.slice(end + 1 + prefix.length).replace(/\.gz$/, '')
    if (name.includes('/')) continue
    const own = found.get(name)
    if (own) own.push(moment)
    else found.set(name, [moment])
  }
  for (const list of found.values()) list.sort((a, b) => a - b)
  return found
}
