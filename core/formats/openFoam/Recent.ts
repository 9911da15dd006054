/** What was read last, as much of it as fits: the parts of a region share files. */
export class Recent {
  private readonly kept = new Map<string, { value: Promise<unknown>; bytes: number }>()

  /**
   * @param limits  bytes that are kept besides the last one, how many are kept however large they are, and what is done with one that
   *                is not kept any more
   */
  constructor(private readonly limits: { limit: number; least?: number; drop?: (value: unknown) => void }) {}

  /** The value of a key, made by `make` unless it is still there. */
  async get<T>(key: string, make: () => Promise<T>, bytesOf: (value: T) => number): Promise<T> {
    const known = this.kept.get(key)
    if (known) {
      this.kept.delete(key)
      this.kept.set(key, known)
      return known.value as Promise<T>
    }
    const entry = { value: make() as Promise<unknown>, bytes: 0 }
    this.kept.set(key, entry)
    try {
      const value = (await entry.value) as T
      entry.bytes = bytesOf(value)
      this.forget(key)
      return value
    } catch (error) {
      this.kept.delete(key)
      throw error
    }
  }

  private forget(last: string): void {
    const { limit, least = 1, drop } = this.limits
    let bytes = [...this.kept.values()].reduce((sum, entry) => sum + entry.bytes, 0)
    for (const [key, entry] of this.kept) {
      if (bytes <= limit || this.kept.size <= least) return
      // entries that are still being made have no size yet and are waited for
      if (key === last || !entry.bytes) continue
      this.kept.delete(key)
      if (drop) void entry.value.then(drop)
      bytes -= entry.bytes
    }
  }
}

/** Bytes of the arrays of an object, and of those in it. */
export function bytesOf(value: object): number {
  return Object.values(value).reduce<number>(
    (sum, item) =>
      sum + (ArrayBuffer.isView(item) ? item.byteLength : item !== null && typeof item === 'object' ? bytesOf(item as object) : 0),
    0,
  )
}
