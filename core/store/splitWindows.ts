/**
 * Cells that the core has not got, split window by window (`mesh/splitCells.ts`) and kept in scratch files, so that they can be
 * read again as cells that it has. Numbers of cells and points come out as if the mesh had been split whole.
 *
 * Memory: 4 bytes a piece and 4 an added point.
 */
import type { CellWindow } from '../formats/Format'
import type { FloatArray } from '../mesh/MeshBlock'
import { Growing } from '../mesh/growing'
import { checkPolyhedra, checkTypes, foreignCell, foreignPoint, sourceDimension } from '../mesh/normaliseCells'
import type { WholeCells } from '../mesh/normaliseCells'
import { placesAmong } from '../mesh/numbering'
import { hasQuadraticShape } from '../mesh/quadraticShape'
import { splitList, withAdded } from '../mesh/splitCells'
import type { AddedPoint } from '../mesh/splitCells'
import type { CellsToPlace } from './CellPlacer'
import { decodePacket, encodePacket } from './packet'
import type { ScratchFile } from '../scratch'

/** Words of a quadratic cell in its scratch file: type, number of nodes, nodes. */
const WHOLE_WORDS = 2 + 27

export class SplitWindows {
  /** (nCells) number in the source of the cell that each piece is of. */
  numbers = new Uint32Array(0)
  nCells = 0
  readonly sourceTypes: Record<string, number> = {}
  hasPolyhedra = false
  /** Cells up to this number may be quadratic. */
  private wholeEnd = 0
  private readonly kept: { at: number; bytes: number; first: number }[] = []
  private readonly collected = new Growing(Uint32Array)
  /** Word of the scratch file at which each added point is described. */
  private readonly addedAt = new Growing(Uint32Array)
  private addedEnd = 0

  /**
   * @param nPoints  points of the source
   * @param put      writes coordinates of added points from a number on
   */
  constructor(
    private readonly name: string,
    private readonly nPoints: number,
    private readonly scratch: { pieces: ScratchFile; wholes: ScratchFile; added: ScratchFile },
    private readonly pointsOf: (numbers: Uint32Array) => FloatArray,
    private readonly put: (from: number, points: FloatArray) => void,
  ) {}

  get hasWholes(): boolean {
    return this.wholeEnd > 0
  }

  get nAdded(): number {
    return this.addedAt.length
  }

  /**
   * The next cells of the source.
   *
   * @throws FormatError for cells that are no volumes, are not read, or name points that are not there
   */
  add(first: number, window: CellWindow): void {
    this.check(first, window)
    const { centres, types, offsets, connectivity, cellNumbers, sourceTypes } = splitList(window, this.nPoints + this.nAdded)
    for (const [type, n] of Object.entries(sourceTypes)) this.sourceTypes[type] = (this.sourceTypes[type] ?? 0) + n
    if (centres.length) this.addPoints(centres)
    this.keepWholes(first, window)
    const numbers = cellNumbers.map((c) => first + c)
    const packet = encodePacket({ meta: {}, arrays: { types, offsets, connectivity, numbers } })
    this.kept.push({ at: this.scratch.pieces.append(packet), bytes: packet.length, first: this.nCells })
    this.nCells += types.length
    this.collected.pushAll(numbers)
  }

  finish(): void {
    this.numbers = this.collected.finish()
  }

  private check(first: number, window: CellWindow): void {
    const { types, connectivity, polyhedra } = window
    const foreign = types.find((type) => sourceDimension(type) !== 3)
    if (foreign !== undefined) throw foreignCell(foreign, this.name)
    checkTypes(window, this.name, first)
    const stray = connectivity.find((point) => point >= this.nPoints)
    if (stray !== undefined) throw foreignPoint(stray, this.nPoints, this.name)
    if (polyhedra) checkPolyhedra(types, polyhedra, this.nPoints, this.name)
    this.hasPolyhedra ||= polyhedra !== undefined
  }

  /** Coordinates are put behind those of the source, what they are made of is kept for their values. */
  private addPoints(centres: readonly AddedPoint[]): void {
    const all = new Growing(Uint32Array)
    for (const { nodes } of centres) all.pushAll(nodes)
    const { places, different } = placesAmong(all.finish())
    let at = 0
    const local = centres.map(({ nodes, type }) => ({ type, nodes: places.subarray(at, (at += nodes.length)) }))
    const points = this.pointsOf(different)
    this.put(this.nPoints + this.nAdded, withAdded(points, local, 3).subarray(points.length))
    const words = new Growing(Uint32Array)
    for (const { nodes, type } of centres) {
      this.addedAt.push(this.addedEnd + words.length)
      words.push(type)
      words.push(nodes.length)
      words.pushAll(nodes)
    }
    this.scratch.added.append(new Uint8Array(words.finish().buffer))
    this.addedEnd += words.length
  }

  private keepWholes(first: number, { types, offsets, connectivity }: CellWindow): void {
    if (!types.some(hasQuadraticShape)) return
    this.wholeEnd = first + types.length
    const words = new Uint32Array(WHOLE_WORDS * types.length)
    for (let c = 0; c < types.length; c++) {
      const nodes = connectivity.subarray(offsets[c], offsets[c + 1])
      if (hasQuadraticShape(types[c]!)) words.set([types[c]!, nodes.length, ...nodes], c * WHOLE_WORDS)
    }
    this.scratch.wholes.write(4 * WHOLE_WORDS * first, new Uint8Array(words.buffer))
  }

  /** The pieces of each window of the source, behind the number of the first of them. */
  *lots(): Generator<[number, CellsToPlace]> {
    for (const { at, bytes, first } of this.kept) {
      const buffer = new Uint8Array(bytes)
      this.scratch.pieces.read(at, buffer)
      const { types, offsets, connectivity, numbers } = decodePacket(buffer.buffer).arrays as Record<string, Uint32Array>
      yield [first, { types: types as unknown as Uint8Array, offsets: offsets!, connectivity: connectivity!, sources: numbers! }]
    }
  }

  /** What an added point is made of, by its number in the part. */
  added(number: number): AddedPoint {
    const at = 4 * this.addedAt.at(number - this.nPoints)
    const [type, n] = this.words(this.scratch.added, at, 2) as unknown as [number, number]
    return { type, nodes: this.words(this.scratch.added, at + 8, n) }
  }

  /** The source cells of some pieces, as far as they are quadratic: `of` are places in the lists. */
  wholesOf(pieces: Uint32Array): WholeCells {
    const { places, different } = placesAmong(pieces.map((piece) => this.numbers[piece]!))
    const types = new Uint8Array(different.length)
    const offsets = new Uint32Array(different.length + 1)
    const nodes = new Growing(Uint32Array)
    different.forEach((cell, i) => {
      if (cell >= this.wholeEnd) return void (offsets[i + 1] = nodes.length)
      const [type, n, ...list] = this.words(this.scratch.wholes, 4 * WHOLE_WORDS * cell, WHOLE_WORDS) as unknown as number[]
      types[i] = type!
      nodes.pushAll(list.slice(0, n))
      offsets[i + 1] = nodes.length
    })
    return { of: places, types, offsets, connectivity: nodes.finish() }
  }

  private words(file: ScratchFile, at: number, n: number): Uint32Array {
    const words = new Uint32Array(n)
    file.read(at, new Uint8Array(words.buffer))
    return words
  }
}
