/** A part held in memory as blocks: for the command line and for tests. Values are put in before they are used. */
import { DataError } from '../errors'
import { boxOfPoints } from '../mesh/boxes'
import type { Box, DerivedArrays, FieldValues, Held, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import type { NormalMesh } from '../mesh/normaliseCells'
import type { SourceValues } from '../formats/Format'
import { DEFAULT_BLOCK_CELLS, gatherBlock, makeBlock, partition } from './partition'

export class MemoryPart implements PartBlocks {
  readonly nBlocks: number
  readonly boxes: Box[]
  private readonly blocks: MeshBlock[] = []
  private readonly fields = new Map<string, FieldValues[]>()
  private readonly made = new Map<string, DerivedArrays>()

  constructor(
    readonly name: string,
    readonly dimension: number,
    mesh: NormalMesh,
    blockCells = DEFAULT_BLOCK_CELLS,
  ) {
    const parts = partition(mesh, blockCells)
    for (let k = 0; k < parts.nBlocks; k++) this.blocks.push(makeBlock(parts, k))
    this.nBlocks = parts.nBlocks
    this.boxes = this.blocks.map((block) => boxOfPoints(block.points))
  }

  setField(name: string, source: SourceValues): void {
    const { components, place } = source
    this.fields.set(
      name,
      this.blocks.map((block) => ({ values: gatherBlock(source, block), components, place: place === 'cell' ? 'cell' : 'point' })),
    )
  }

  block(k: number): MeshBlock {
    return this.blocks[k]!
  }

  field(name: string, k: number): FieldValues {
    const blocks = this.fields.get(name)
    if (!blocks) throw new DataError('no-field', `${this.name} has no field “${name}”.`)
    return blocks[k]!
  }

  derived(k: number, name: string, make: () => DerivedArrays): DerivedArrays {
    const key = `${name} ${k}`
    let arrays = this.made.get(key)
    if (!arrays) this.made.set(key, (arrays = make()))
    return arrays
  }

  within<T>(work: () => T): T {
    return work()
  }

  hold<T>(load: () => T): Held<T> {
    return { value: load(), release: () => undefined }
  }
}
