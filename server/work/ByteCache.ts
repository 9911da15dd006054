/** Least-recently-used cache bounded by bytes. */
export class ByteCache<T> {
  private readonly entries = new Map<string, { value: T; bytes: number }>()
  private total = 0

  constructor(readonly limit: number) {}

  get bytes(): number {
    return this.total
  }

  get(key: string): T | undefined {
    const entry = this.entries.get(key)
    if (!entry) return undefined
    this.entries.delete(key)
    this.entries.set(key, entry)
    return entry.value
  }

  /** Keeps a value; one larger than the whole cache is not kept. */
  set(key: string, value: T, bytes: number): void {
    this.delete(key)
    if (bytes > this.limit) return
    this.entries.set(key, { value, bytes })
    this.total += bytes
    for (const oldest of this.entries.keys()) {
      if (this.total <= this.limit) break
      this.delete(oldest)
    }
  }

  delete(key: string): void {
    const entry = this.entries.get(key)
    if (!entry) return
    this.total -= entry.bytes
    this.entries.delete(key)
  }

  deleteWhere(isGone: (key: string) => boolean): void {
    for (const key of [...this.entries.keys()]) if (isGone(key)) this.delete(key)
  }
}
