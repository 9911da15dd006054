/** Shapes and values as packets, the form in which the arena holds them. Each array holds all pieces one after the other. */
import type { Packet, PacketArray, PacketSource } from '../store/packet'
import type { ArrowMeta, FactTable, LineLabel, Piece, PieceValues, Shape, ShapeKind, ShapeRange, ShapeValues } from '../shapes/Shape'

interface PieceMeta {
  /** Points, numbers in elements, elements, weights. */
  sizes: [number, number, number, number]
  ranges: ShapeRange[]
  /** Quadratic cells and their nodes. */
  whole?: [number, number]
  paths?: number
  hasPointCells?: true
  hasVectors?: true
  motion?: readonly number[]
  from?: Piece['from']
  uncut?: Piece['uncut']
}

export interface ShapePacketMeta {
  kind: ShapeKind
  /** Its pieces are those of the nodes that its own needs. */
  isOfNeeds?: true
  pieces: PieceMeta[]
  columns?: Shape['columns']
  direction?: string
  notes?: string[]
  nLost?: number
  arrows?: ArrowMeta
  table?: FactTable
  labels?: LineLabel[]
  /** Width and height. */
  texture?: [number, number]
}

export function encodeShape({ kind, pieces, columns, direction, notes, nLost, arrows, table, labels, texture }: Shape): {
  meta: ShapePacketMeta
  arrays: Record<string, PacketSource>
} {
  const meta: ShapePacketMeta = {
    kind,
    ...(columns && { columns }),
    ...(direction !== undefined && { direction }),
    ...(notes?.length && { notes }),
    ...(nLost && { nLost }),
    ...(arrows && { arrows }),
    ...(table && { table }),
    ...(labels && { labels }),
    ...(texture && { texture: [texture.width, texture.height] as [number, number] }),
    pieces: pieces.map(({ points, elements, cells, weights, ranges, whole, paths, pointCells, vectors, motion, from, uncut }) => ({
      sizes: [points.length / 3, elements.length, cells.length, weights.length],
      ranges,
      ...(whole && { whole: [whole.types.length, whole.nodes.length] }),
      ...(paths && { paths: paths.length }),
      ...(pointCells && { hasPointCells: true }),
      ...(vectors && { hasVectors: true }),
      ...(motion && { motion }),
      ...(from && { from }),
      ...(uncut && { uncut }),
    })),
  }
  const lists = new Map<string, PacketArray[]>()
  const add = (name: string, array: PacketArray): void => {
    const list = lists.get(name)
    if (list) list.push(array)
    else lists.set(name, [array])
  }
  for (const piece of pieces) {
    for (const name of ['points', 'elements', 'cells', 'weightStarts', 'sources', 'weights'] as const) add(name, piece[name])
    if (piece.whole) for (const name of ['of', 'leads', 'types', 'offsets', 'nodes'] as const) add(`whole.${name}`, piece.whole[name])
    if (piece.paths) add('paths', piece.paths)
    if (piece.pointCells) add('pointCells', piece.pointCells)
    if (piece.vectors) add('vectors', piece.vectors)
    piece.columns?.forEach((column, c) => add(`column ${c}`, column))
  }
  if (texture) {
    add('texels', texture.texels)
    add('texture places', texture.places)
  }
  return { meta, arrays: Object.fromEntries(lists) }
}

/** Takes consecutive stretches of an array. */
class Cursor {
  private readonly at = new Map<string, number>()

  constructor(private readonly arrays: Record<string, PacketArray>) {}

  take<T extends PacketArray>(name: string, length: number): T {
    const from = this.at.get(name) ?? 0
    this.at.set(name, from + length)
    return this.arrays[name]!.subarray(from, from + length) as T
  }
}

/** Views on the packet. */
export function decodeShape({ meta, arrays }: Packet<ShapePacketMeta>): Shape {
  const cursor = new Cursor(arrays)
  const pieces = meta.pieces.map(
    ({ sizes: [points, elements, cells, weights], ranges, whole, paths, hasPointCells, hasVectors, motion, from, uncut }): Piece => ({
      points: cursor.take('points', 3 * points),
      elements: cursor.take('elements', elements),
      cells: cursor.take('cells', cells),
      weightStarts: cursor.take('weightStarts', points + 1),
      sources: cursor.take('sources', weights),
      weights: cursor.take('weights', weights),
      ranges,
      ...(whole && {
        whole: {
          of: cursor.take('whole.of', cells),
          leads: cursor.take('whole.leads', cells),
          types: cursor.take('whole.types', whole[0]),
          offsets: cursor.take('whole.offsets', whole[0] + 1),
          nodes: cursor.take('whole.nodes', whole[1]),
        },
      }),
      ...(paths !== undefined && { paths: cursor.take<Uint32Array>('paths', paths) }),
      ...(from && { from }),
      ...(uncut && { uncut }),
      ...(hasVectors && { vectors: cursor.take<Float64Array>('vectors', 3 * points) }),
      ...(motion && { motion }),
      ...(hasPointCells && { pointCells: cursor.take<Uint32Array>('pointCells', points) }),
      ...(meta.columns && { columns: meta.columns.map((_, c) => cursor.take<Float64Array>(`column ${c}`, points)) }),
    }),
  )
  const { kind, columns, direction, notes, nLost, arrows, table, labels, texture } = meta
  return {
    ...{ kind, pieces },
    ...(columns && { columns }),
    ...(direction !== undefined && { direction }),
    ...(notes && { notes }),
    ...(nLost && { nLost }),
    ...(arrows && { arrows }),
    ...(table && { table }),
    ...(labels && { labels }),
    ...(texture && {
      texture: {
        width: texture[0],
        height: texture[1],
        texels: arrays['texels'] as Uint8Array,
        places: arrays['texture places'] as Float32Array,
      },
    }),
  }
}

export interface ValuesPacketMeta {
  components: number
  name: string
  unit: string | null
  pieces: { place: PieceValues['place']; length: number }[]
}

export type NamedShapeValues = ShapeValues & { name: string; unit: string | null }

export function encodeValues({ components, name, unit, pieces }: NamedShapeValues): {
  meta: ValuesPacketMeta
  arrays: Record<string, PacketSource>
} {
  const meta = { components, name, unit, pieces: pieces.map(({ place, values }) => ({ place, length: values.length })) }
  return { meta, arrays: pieces.length ? { values: pieces.map(({ values }) => values) } : {} }
}

export function decodeValues({ meta, arrays }: Packet<ValuesPacketMeta>): NamedShapeValues {
  const cursor = new Cursor(arrays)
  const { components, name, unit } = meta
  const pieces = meta.pieces.map(({ place, length }) => ({ place, components, values: cursor.take<Float64Array>('values', length) }))
  return { components, name, unit, pieces }
}
