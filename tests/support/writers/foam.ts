/** Writes OpenFOAM-type case folders: serial or decomposed, ASCII or binary, label and scalar sizes, gzip. */
import { gzipSync } from 'node:zlib'
import { temperatureAt, velocityAt } from './model'
import type { Model } from './model'
import type { Position } from '../meshes'

export interface FoamVariant {
  isBinary?: boolean
  label?: 32 | 64
  scalar?: 32 | 64
  isZipped?: boolean
  processors?: number
  times?: string[]
  /** Faces between cells in no order. */
  isScattered?: boolean
  /** A neighbour for every face, -1 at the boundary, as older programs write it. */
  hasAllNeighbours?: boolean
  /** `phi`, what passes each face, and zones: Middle along x, Back of the same faces against it, Level along z. */
  hasFluxes?: boolean
}

const localFaces = [
  [0, 4, 7, 3],
  [1, 2, 6, 5],
  [0, 1, 5, 4],
  [3, 7, 6, 2],
  [0, 3, 2, 1],
  [4, 5, 6, 7],
]

/** Files of a case by name. */
export function foamCase(model: Model, variant: FoamVariant = {}): Record<string, Uint8Array> {
  const { processors = 1 } = variant
  const files: Record<string, Uint8Array> = {}
  for (let k = 0; k < processors; k++) {
    const own = model.cells.map((_, c) => c).filter((c) => Math.floor((c * processors) / model.cells.length) === k)
    writePiece(model, own, k, processors > 1 ? `processor${k}/` : '', variant, files)
  }
  return files
}

class Writer {
  constructor(
    private readonly variant: FoamVariant,
    private readonly files: Record<string, Uint8Array>,
  ) {}

  file(path: string, className: string, body: (Buffer | string)[], note = ''): void {
    const { isBinary, label = 32, scalar = 64, isZipped } = this.variant
    const header =
      `/* made for a test */\nFoamFile\n{\n    version 2.0;\n    format ${isBinary ? 'binary' : 'ascii'};\n` +
      `    class ${className};\n    arch "LSB;label=${label};scalar=${scalar}";\n` +
      `${note && `    note "${note}";\n`}    object ${path.split('/').pop()};\n}\n// * * * //\n\n`
    const bytes = Buffer.concat([header, ...body].map((part) => Buffer.from(part as string)))
    this.files[isZipped ? `${path}.gz` : path] = isZipped ? gzipSync(bytes) : bytes
  }

  labels(values: readonly number[]): (Buffer | string)[] {
    const { isBinary, label = 32 } = this.variant
    if (!isBinary) return [`${values.length}\n(\n${values.join('\n')}\n)\n`]
    const bytes = Buffer.alloc((label / 8) * values.length)
    values.forEach((value, i) => (label === 64 ? bytes.writeBigInt64LE(BigInt(value), 8 * i) : bytes.writeInt32LE(value, 4 * i)))
    return [`${values.length}\n(`, bytes, ')\n']
  }

  flags(values: readonly number[]): (Buffer | string)[] {
    return this.variant.isBinary ? [`${values.length}\n(`, Buffer.from(values), ')\n'] : [`${values.length}(${values.join(' ')})`]
  }

  tuples(values: readonly (readonly number[])[]): (Buffer | string)[] {
    const { isBinary, scalar = 64 } = this.variant
    const n = values[0]?.length ?? 1
    if (!isBinary) return [`${values.length}\n(\n${values.map((v) => (n === 1 ? `${v[0]}` : `(${v.join(' ')})`)).join('\n')}\n)\n`]
    const flat = values.flat()
    const bytes = Buffer.alloc((scalar / 8) * flat.length)
    flat.forEach((value, i) => (scalar === 64 ? bytes.writeDoubleLE(value, 8 * i) : bytes.writeFloatLE(value, 4 * i)))
    return [`${values.length}\n(`, bytes, ')\n']
  }

  faces(path: string, faces: readonly (readonly number[])[]): void {
    if (!this.variant.isBinary)
      return this.file(path, 'faceList', [`${faces.length}\n(\n${faces.map((f) => `${f.length}(${f.join(' ')})`).join('\n')}\n)\n`])
    let end = 0
    const offsets = [0, ...faces.map((f) => (end += f.length))]
    this.file(path, 'faceCompactList', [...this.labels(offsets), ...this.labels(faces.flat())])
  }
}

interface Face {
  nodes: number[]
  owner: number
  neighbour: number
  patch: number
}

function writePiece(model: Model, own: number[], k: number, folder: string, variant: FoamVariant, files: Record<string, Uint8Array>): void {
  const writer = new Writer(variant, files)
  const used = [...new Set(own.flatMap((c) => model.cells[c]!))].sort((a, b) => a - b)
  const local = new Map(used.map((p, i) => [p, i]))
  const { faces, names } = facesOf(model, own)
  const inner = faces.filter((f) => f.neighbour >= 0).sort((a, b) => a.owner - b.owner || a.neighbour - b.neighbour)
  if (variant.isScattered) inner.sort((a, b) => Math.sin(1e4 * (a.owner + 7 * a.neighbour)) - Math.sin(1e4 * (b.owner + 7 * b.neighbour)))
  const outer = names.map((_, patch) => faces.filter((f) => f.neighbour < 0 && f.patch === patch))
  const all = [...inner, ...outer.flat()]
  const mesh = `${folder}constant/polyMesh/`
  writer.file(`${mesh}points`, 'vectorField', writer.tuples(used.map((p) => model.points[p]!)))
  writer.faces(
    `${mesh}faces`,
    all.map((f) => f.nodes.map((p) => local.get(p)!)),
  )
  writer.file(
    `${mesh}owner`,
    'labelList',
    writer.labels(all.map((f) => f.owner)),
    `nPoints:${used.length}  nCells:${own.length}  nFaces:${all.length}  nInternalFaces:${inner.length}`,
  )
  writer.file(`${mesh}neighbour`, 'labelList', writer.labels((variant.hasAllNeighbours ? all : inner).map((f) => f.neighbour)))
  let start = inner.length
  const entries = names.map((name, i) => {
    const text =
      `    ${name}\n    {\n        type ` +
      `${name.startsWith('proc') ? `processor;\n        myProcNo ${k};\n        neighbProcNo ${1 - k}` : 'patch'};\n` +
      `        inGroups List<word> 1(all);\n        nFaces ${outer[i]!.length};\n        startFace ${start};\n    }\n`
    start += outer[i]!.length
    return text
  })
  files[`${mesh}boundary`] = Buffer.from(
    `FoamFile\n{\n    format ascii;\n    class polyBoundaryMesh;\n}\n${names.length}\n(\n${entries.join('')})\n`,
  )
  for (const time of variant.times ?? ['0.5']) {
    writeFields(model, own, outer, names, `${folder}${time}/`, writer)
    if (variant.hasFluxes) writeFluxes(model, inner, outer, names, `${folder}${time}/phi`, writer)
  }
  if (variant.hasFluxes) writeZones(model, all, `${mesh}faceZones`, writer)
}

/** Area of a rectangle, along its normal. */
function areaOf(model: Model, nodes: readonly number[]): Position {
  const [a, b, c] = nodes.map((p) => model.points[p]!) as [Position, Position, Position]
  const [u, v] = [b.map((x, d) => x - a[d]!), c.map((x, d) => x - b[d]!)] as unknown as [Position, Position]
  return [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
}

/** The velocity is linear: that in the middle of a face is its mean. */
function writeFluxes(model: Model, inner: Face[], outer: Face[][], names: string[], path: string, writer: Writer): void {
  const flux = ({ nodes }: Face): [number] => [
    velocityAt(centreOf(model, nodes)).reduce((sum, x, d) => sum + x * areaOf(model, nodes)[d]!, 0),
  ]
  const patches = names.flatMap((name, i) => [
    `    ${name}\n    {\n        type calculated;\n        value nonuniform List<scalar> `,
    ...writer.tuples(outer[i]!.map(flux)),
    ';\n    }\n',
  ])
  writer.file(path, 'surfaceScalarField', [
    'dimensions [0 3 -1 0 0 0 0];\n\ninternalField nonuniform List<scalar> ',
    ...writer.tuples(inner.map(flux)),
    ';\n\nboundaryField\n{\n',
    ...patches,
    '}\n',
  ])
}

function writeZones(model: Model, faces: Face[], path: string, writer: Writer): void {
  const zones = [
    ['Middle', 0, 1],
    ['Back', 0, -1],
    ['Level', 2, 1],
  ] as const
  const body = zones.flatMap(([name, axis, side]) => {
    const middle = Math.max(...model.points.map((p) => p[axis])) / 2
    const own = faces
      .map((_, f) => f)
      .filter(
        (f) => Math.abs(centreOf(model, faces[f]!.nodes)[axis] - middle) < 1e-9 && Math.abs(areaOf(model, faces[f]!.nodes)[axis]) > 1e-9,
      )
    const flips = own.map((f) => Number(side * areaOf(model, faces[f]!.nodes)[axis] < 0))
    return [
      `${name}\n{\n    type faceZone;\n    faceLabels List<label> `,
      ...writer.labels(own),
      ';\n    flipMap List<bool> ',
      ...writer.flags(flips),
      ';\n}\n',
    ]
  })
  writer.file(path, 'regIOobject', [`${zones.length}\n(\n`, ...body, ')\n'])
}

function centreOf(model: Model, nodes: readonly number[]): Position {
  return [0, 1, 2].map((d) => nodes.reduce((sum, p) => sum + model.points[p]![d]! / nodes.length, 0)) as unknown as Position
}

function writeFields(model: Model, own: number[], outer: Face[][], names: string[], folder: string, writer: Writer): void {
  const centre = (nodes: readonly number[]): Position => centreOf(model, nodes)
  const middles = own.map((c) => centre(model.cells[c]!))
  const patchList = (value: (middle: Position) => readonly number[], type: string): (Buffer | string)[] =>
    names.flatMap((name, i) => [
      `    ${name}\n    {\n        type calculated;\n        value nonuniform List<${type}> `,
      ...writer.tuples(outer[i]!.map((f) => value(centre(f.nodes)))),
      ';\n    }\n',
    ])
  const field = (name: string, kind: string, type: string, dimensions: string, value: (middle: Position) => readonly number[]): void =>
    writer.file(folder + name, `vol${kind}Field`, [
      `dimensions [${dimensions}];\n\ninternalField nonuniform List<${type}> `,
      ...writer.tuples(middles.map(value)),
      ';\n\nboundaryField\n{\n',
      ...patchList(value, type),
      '}\n',
    ])
  field('T', 'Scalar', 'scalar', '0 0 0 1 0 0 0', (m) => [temperatureAt(m)])
  field('U', 'Vector', 'vector', '0 1 -1 0 0 0 0', (m) => velocityAt(m))
  field('R', 'SymmTensor', 'symmTensor', '0 2 -2 0 0', ([x, y, z]) => [x, x + y, x + z, y, y + z, z])
  const patches = names.map((name) => `    ${name} { type zeroGradient; }\n`).join('')
  writer.file(`${folder}p`, 'volScalarField', [`dimensions [0 2 -2 0 0 0 0];\ninternalField uniform 100;\nboundaryField\n{\n${patches}}\n`])
}

function facesOf(model: Model, own: number[]): { faces: Face[]; names: string[] } {
  const names = model.patches.map((p) => p.name)
  const patchOf = new Map(model.patches.flatMap((patch, i) => patch.faces.map((face) => [key(face), i] as const)))
  const found = new Map<string, Face>()
  own.forEach((c, cell) => {
    for (const face of localFaces) {
      const nodes = face.map((i) => model.cells[c]![i]!)
      const known = found.get(key(nodes))
      if (known) known.neighbour = cell
      else found.set(key(nodes), { nodes, owner: cell, neighbour: -1, patch: patchOf.get(key(nodes)) ?? names.length })
    }
  })
  const faces = [...found.values()]
  if (faces.some((f) => f.neighbour < 0 && f.patch === names.length)) names.push('procBoundary')
  return { faces, names }
}

function key(nodes: readonly number[]): string {
  return [...nodes].sort((a, b) => a - b).join()
}
