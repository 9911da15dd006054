/**
 * A part in the block store: blocks are read straight into the arena when they are requested. Views are valid only while the arena's
 * scope is open in which they were requested.
 */
import { digest } from '../digest'
import type { Key } from '../digest'
import { DataError } from '../errors'
import type { Box, DerivedArrays, FieldValues, Held, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { arenaKey } from './Arena'
import type { Arena, ArenaKey } from './Arena'
import type { Extents, FieldIndex, MeshIndex } from './blockStore'
import { encodePacket } from './packet'

/** Reads stored files at once. */
export interface BlockReader {
  /** Fills `into` with the bytes of a file from `start` on. @throws Error when it is not there */
  read(file: string, start: number, into: Uint8Array): void
}

/** A stored file; its name is the key of what is in it. */
export interface StoredFile<Index> {
  file: string
  key: Key
  index: Index
}

export interface StoredPartParts {
  name: string
  dimension: number
  mesh: StoredFile<MeshIndex>
  /** @throws DataError when the part has no such field, or it is not stored */
  field(name: string): StoredFile<FieldIndex>
  /** Throws to cancel. */
  check(): void
}

export class StoredPart implements PartBlocks {
  readonly name: string
  readonly dimension: number
  private readonly meshKey: ArenaKey
  private readonly fields = new Map<string, { stored: StoredFile<FieldIndex>; key: ArenaKey }>()

  constructor(
    private readonly arena: Arena,
    private readonly reader: BlockReader,
    private readonly parts: StoredPartParts,
  ) {
    this.name = parts.name
    this.dimension = parts.dimension
    this.meshKey = arenaKey(parts.mesh.key)
  }

  get nBlocks(): number {
    return this.parts.mesh.index.extents.length
  }

  get boxes(): readonly Box[] {
    return this.parts.mesh.index.boxes
  }

  block(k: number): MeshBlock {
    const { file, index } = this.parts.mesh
    return this.load(file, blockKey(this.meshKey, k), index.extents, k).arrays as unknown as MeshBlock
  }

  field(name: string, k: number): FieldValues {
    const { stored, key } = this.stored(name)
    const { meta, arrays } = this.load<Pick<FieldValues, 'place' | 'components'>>(stored.file, blockKey(key, k), stored.index.extents, k)
    return { ...meta, ...(arrays as unknown as Pick<FieldValues, 'values'>) }
  }

  /** Stored extremes of each block. */
  ranges(name: string): readonly [number, number][] {
    return this.stored(name).stored.index.ranges
  }

  derived(k: number, name: string, make: () => DerivedArrays): DerivedArrays {
    const key = arenaKey(digest(this.parts.mesh.key, name, k))
    const { arrays } = this.arena.obtain(key, 'block', (take) => void encodePacket({ meta: null, arrays: make() }, take), this.parts.check)
    return arrays
  }

  within<T>(work: () => T): T {
    return this.arena.within(work)
  }

  hold<T>(load: () => T): Held<T> {
    return this.arena.hold(load)
  }

  private stored(name: string): { stored: StoredFile<FieldIndex>; key: ArenaKey } {
    let found = this.fields.get(name)
    if (!found) {
      const stored = this.parts.field(name)
      this.fields.set(name, (found = { stored, key: arenaKey(stored.key) }))
    }
    return found
  }

  private load<Meta>(file: string, key: ArenaKey, extents: Extents, k: number): { meta: Meta; arrays: Record<string, unknown> } {
    const extent = extents[k]
    if (!extent) throw new DataError('no-block', `${this.name} has no block ${k}; bring the case in again.`)
    const [start, end] = extent
    this.parts.check()
    return this.arena.obtain<Meta>(key, 'block', (take) => this.reader.read(file, start, take(end - start)), this.parts.check)
  }
}

/** Of block k; the keys of files are digests, so that those of their blocks differ, too. */
function blockKey(key: ArenaKey, k: number): ArenaKey {
  return [key[0], key[1], key[2], (key[3] + Math.imul(k, 0x9e3779b1)) | 0]
}
