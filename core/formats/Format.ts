/** What a file format offers. One file per format, one line in `index.ts`. */
import type { FloatArray } from '../mesh/MeshBlock'
import type { NormalMesh, SourceMesh } from '../mesh/normaliseCells'
import type { Catalogue } from '../case/catalogue'
import type { ByteSource, SourceFolder } from './ByteSource'

export interface Format {
  id: string
  /** Endings of file names, for pickers. */
  endings: readonly string[]
  /** Looks at the first bytes; never throws. */
  sniff(head: Uint8Array, name: string): boolean
  /** @param like  an opened file of the same series, whose counts may be taken over where the cells are the same */
  open(source: ByteSource, folder: SourceFolder, like?: OpenCase): Promise<OpenCase>
}

/** A format that is a folder of files. */
export interface FolderFormat {
  id: string
  /** Folders of the kind among names of files, each with a slash at its end; empty for the folder itself. */
  roots(names: readonly string[]): string[]
  open(folder: SourceFolder, root: string): Promise<OpenCase>
}

/** Values of a field on one part, by point or cell of the source: (components × n). */
export interface PlainValues {
  values: FloatArray
  components: number
  place: 'point' | 'cell'
}

/** Values by corner of the cells of the source: they may jump from cell to cell. */
export interface CornerValues {
  values: FloatArray
  components: number
  place: 'corner'
  corners: CornerLists
}

export type SourceValues = PlainValues | CornerValues

/** Where the corners of each cell begin, and their points, by their numbers in the source. */
export interface CornerLists {
  /** (nCells + 1) */
  offsets: Uint32Array
  nodes: Uint32Array
}

/** A mesh that can be read piece by piece, for parts that do not fit into memory. */
export interface FormatWindows {
  /** Names file and part in errors. */
  name: string
  nPoints: number
  nCells: number
  /** Coordinates of points [from, to): (3 × n). */
  points(from: number, to: number): Promise<FloatArray>
  /** Cells [from, to); offsets begin at 0, as do the faces of polyhedra. */
  cells(from: number, to: number): Promise<CellWindow>
  /** Number in the source of each cell, where these are not all of them; points that only others use do not count then. */
  cellNumbers?: Uint32Array
  /** As in `NormalMesh`. */
  hasOwnCorners?: boolean
  /** Memory that reading takes besides what it gives, in bytes. */
  memory?: number
  /** Disk that reading takes, in bytes. */
  scratch?: number
  /** How many points turned out to be one with another; known once all cells were read. */
  joined?(): number
}

export type CellWindow = Pick<SourceMesh, 'types' | 'offsets' | 'connectivity' | 'polyhedra'>

/** A file or series opened for reading. The catalogue is read at once, meshes and fields when asked. */
export interface OpenCase {
  catalogue: Catalogue
  /** Cells normalised; a part keeps the numbering of its file. */
  mesh(part: string, moment: number): Promise<NormalMesh>
  values(part: string, field: string, moment: number): Promise<SourceValues>
  /** The mesh in windows; undefined where the format must read it whole. */
  windows?(part: string, moment: number): Promise<FormatWindows | undefined>
  /** Values [from, to) of a field, where they can be read so; undefined else. */
  valuesWindow?(part: string, field: string, moment: number, from: number, to: number): Promise<FloatArray | undefined>
  /**
   * Tells meshes of two moments apart without building them. Full keys are equal only for equal bytes; others are quick and may
   * take a mesh for unchanged that moves in a few places.
   */
  meshKey(part: string, moment: number, isFull?: boolean): Promise<string>
}
