/** Typed arrays that grow by doubling: lists of unknown length without one object per item. */
type Numbers = Uint8Array | Uint32Array | Int32Array | Float32Array | Float64Array

export class Growing<T extends Numbers> {
  length = 0
  private array: T

  constructor(private readonly type: new (n: number) => T) {
    this.array = new type(1024)
  }

  push(value: number): void {
    if (this.length === this.array.length) this.grow(2 * this.length)
    this.array[this.length++] = value
  }

  pushAll(values: ArrayLike<number>): void {
    if (this.length + values.length > this.array.length) this.grow(Math.max(2 * this.array.length, this.length + values.length))
    for (let i = 0; i < values.length; i++) this.array[this.length + i] = values[i]!
    this.length += values.length
  }

  /** Forgets all but the first n. */
  cut(n: number): void {
    this.length = n
  }

  addTo(i: number, value: number): void {
    this.array[i]! += value
  }

  put(i: number, value: number): void {
    this.array[i] = value
  }

  at(i: number): number {
    return this.array[i]!
  }

  finish(): T {
    return this.array.slice(0, this.length) as T
  }

  private grow(size: number): void {
    const bigger = new this.type(size)
    bigger.set(this.array)
    this.array = bigger
  }
}
