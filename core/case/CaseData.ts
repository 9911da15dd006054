/** A case at one moment as computations see it: what is in it, and its parts block by block. */
import type { PartBlocks } from '../mesh/MeshBlock'
import type { Catalogue } from './catalogue'

export interface CaseData {
  catalogue: Catalogue
  /** @throws DataError when there is none of that name */
  part(name: string): PartBlocks
  /** Extremes of each block of a field where they are known without reading it; of the magnitude for vectors. */
  blockRanges?(part: string, field: string): readonly [number, number][] | undefined
}
