/** Hash tables on typed arrays with open addressing: no object per entry. Multiplicative hashing, Knuth, TAOCP 3, 6.4. */
import { sharedKernels } from '../kernels/Kernels'
import { Growing } from './growing'
import type { FloatArray } from './MeshBlock'

const GOLDEN = 0x9e3779b1

/** Gives numbers in the order in which they are first asked for 0, 1, 2 … */
export class Numbering {
  private table: Int32Array
  private shift: number
  private list = new Growing(Uint32Array)

  /** @param capacity  about how many different numbers there will be */
  constructor(capacity = 1024) {
    this.shift = 32 - Math.max(4, Math.ceil(Math.log2(2 * capacity)))
    this.table = new Int32Array(2 ** (32 - this.shift))
  }

  /** Place of a number, new at the end when it was not known. */
  place(number: number): number {
    const { table, list } = this
    const mask = table.length - 1
    let at = Math.imul(number, GOLDEN) >>> this.shift
    for (let known = table[at]!; known !== 0; known = table[(at = (at + 1) & mask)]!) {
      if (list.at(known - 1) === number) return known - 1
    }
    list.push(number)
    table[at] = list.length
    if (2 * list.length > table.length) this.grow()
    return list.length - 1
  }

  get length(): number {
    return this.list.length
  }

  /** All numbers by place. */
  numbers(): Uint32Array {
    return this.list.finish()
  }

  clear(): void {
    this.table.fill(0)
    this.list.length = 0
  }

  private grow(): void {
    this.shift--
    this.table = new Int32Array(2 * this.table.length)
    const mask = this.table.length - 1
    for (let i = 0; i < this.list.length; i++) {
      let at = Math.imul(this.list.at(i), GOLDEN) >>> this.shift
      while (this.table[at] !== 0) at = (at + 1) & mask
      this.table[at] = i + 1
    }
  }
}

/** Places of numbers among all different ones, and these, in the order in which they come first. */
export function placesAmong(numbers: Uint32Array): { places: Uint32Array; different: Uint32Array } {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const places = kernels.put(numbers)
    const list = kernels.take(Uint32Array, numbers.length)
    const n = kernels.run.numberPoints(places, numbers.length, list)
    return { places: kernels.view(Uint32Array, places, numbers.length).slice(), different: kernels.view(Uint32Array, list, n).slice() }
  })
}

/** The same with the different numbers ascending. */
export function sortedPlaces(numbers: Uint32Array): { places: Uint32Array; different: Uint32Array } {
  const { places, different } = placesAmong(numbers)
  const order = Uint32Array.from(different.keys()).sort((a, b) => different[a]! - different[b]!)
  const ranks = new Uint32Array(order.length)
  order.forEach((place, rank) => (ranks[place] = rank))
  return { places: places.map((place) => ranks[place]!), different: order.map((place) => different[place]!) }
}

/** Finds entries that are kept elsewhere by a hash of them. */
export class HashIndex {
  private readonly table: Int32Array

  constructor(n: number, hashOf: (entry: number) => number) {
    this.table = new Int32Array(2 ** Math.max(4, Math.ceil(Math.log2(2 * n + 1))))
    const mask = this.table.length - 1
    for (let i = 0; i < n; i++) {
      let at = hashOf(i) & mask
      while (this.table[at] !== 0) at = (at + 1) & mask
      this.table[at] = i + 1
    }
  }

  /** First entry of the hash that is the same; -1 when there is none. */
  find(hash: number, isSame: (entry: number) => boolean): number {
    const mask = this.table.length - 1
    for (let at = hash & mask; this.table[at] !== 0; at = (at + 1) & mask) {
      if (isSame(this.table[at]! - 1)) return this.table[at]! - 1
    }
    return -1
  }
}

/** Points of a list (3 × n) by their exact positions. */
export class PositionIndex {
  private readonly index: HashIndex

  constructor(private readonly points: FloatArray) {
    this.index = new HashIndex(points.length / 3, (p) => hashOfThree(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!))
  }

  /** The first point there; -1 when there is none. */
  find(x: number, y: number, z: number): number {
    const { points } = this
    return this.index.find(hashOfThree(x, y, z), (p) => points[3 * p] === x && points[3 * p + 1] === y && points[3 * p + 2] === z)
  }
}

const float = new Float64Array(1)
const words = new Uint32Array(float.buffer)

/** Hash of three numbers by their bits; 0 and -0 are one. */
export function hashOfThree(x: number, y: number, z: number): number {
  let h = 0
  for (const value of [x, y, z]) {
    float[0] = value + 0
    h = Math.imul(h ^ words[0]!, GOLDEN)
    h = Math.imul((h ^ (h >>> 15)) + words[1]!, 0x85ebca6b)
  }
  return h ^ (h >>> 13)
}
