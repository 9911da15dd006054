/** A small cache of loaded blocks, for work that visits blocks in no particular order. */
import type { Held, PartBlocks } from './MeshBlock'

/** Blocks of one part are fewer. */
const MAX_BLOCKS = 2 ** 20

export class BlockWindow<T> {
  private readonly held = new Map<number, Held<T>>()
  private latest = -1
  private value: T | undefined

  /**
   * @param size  blocks kept at a time
   * @param load  requests the data of a block; it stays valid while the block is kept
   */
  constructor(
    private readonly parts: readonly PartBlocks[],
    private readonly size: number,
    private readonly load: (part: PartBlocks, block: number) => T,
  ) {}

  /** What was loaded of a block of the part with this number; good until `size` other blocks were asked for. */
  at(part: number, block: number): T {
    const key = part * MAX_BLOCKS + block
    if (key === this.latest) return this.value!
    let held = this.held.get(key)
    if (held) this.held.delete(key)
    else held = this.parts[part]!.hold(() => this.load(this.parts[part]!, block))
    this.held.set(key, held)
    if (this.held.size > this.size) this.releaseOldest()
    this.latest = key
    this.value = held.value
    return held.value
  }

  close(): void {
    for (const { release } of this.held.values()) release()
    this.held.clear()
    this.latest = -1
    this.value = undefined
  }

  private releaseOldest(): void {
    const [key, { release }] = this.held.entries().next().value!
    this.held.delete(key)
    release()
  }
}
