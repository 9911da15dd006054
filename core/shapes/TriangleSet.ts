/** Triangles by their corners in whatever order: a hash table of plain arrays, as blocks have hundreds of thousands. */
export class TriangleSet {
  private corners = new Uint32Array(3 << 10)
  /** Places of triangles plus one, 0 for none. */
  private table = new Uint32Array(1 << 11)
  private count = 0

  add(i: number, j: number, k: number): void {
    if (4 * (this.count + 1) > this.table.length) this.grow()
    const [a, b, c] = sorted(i, j, k)
    const slot = this.slotOf(a, b, c)
    if (this.table[slot]) return
    this.corners[3 * this.count] = a
    this.corners[3 * this.count + 1] = b
    this.corners[3 * this.count + 2] = c
    this.table[slot] = ++this.count
  }

  has(i: number, j: number, k: number): boolean {
    if (!this.count) return false
    const [a, b, c] = sorted(i, j, k)
    return this.table[this.slotOf(a, b, c)] !== 0
  }

  private slotOf(a: number, b: number, c: number): number {
    const mask = this.table.length - 1
    let h = Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca6b) ^ Math.imul(c, 0xc2b2ae35)
    h ^= h >>> 15
    for (let slot = h & mask; ; slot = (slot + 1) & mask) {
      const at = 3 * (this.table[slot]! - 1)
      if (at < 0 || (this.corners[at] === a && this.corners[at + 1] === b && this.corners[at + 2] === c)) return slot
    }
  }

  private grow(): void {
    const corners = new Uint32Array(2 * this.corners.length)
    corners.set(this.corners)
    this.corners = corners
    this.table = new Uint32Array(2 * this.table.length)
    for (let n = 0; n < this.count; n++) this.table[this.slotOf(corners[3 * n]!, corners[3 * n + 1]!, corners[3 * n + 2]!)] = n + 1
  }
}

function sorted(i: number, j: number, k: number): [number, number, number] {
  if (i > j) [i, j] = [j, i]
  if (j > k) [j, k] = [k, j]
  return i > j ? [j, i, k] : [i, j, k]
}
