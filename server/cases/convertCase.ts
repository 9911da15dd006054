/**
 * Parts of an opened case in an open format, by the ending of the file to write. Files appear whole or not at all. What is
 * written is held in memory.
 */
import { rmSync } from 'node:fs'
import { mkdir, rename, writeFile } from 'node:fs/promises'
import { basename, dirname, extname, join } from 'node:path'
import { deflateSync } from 'node:zlib'
import { DataError, UserError } from '../../core/errors'
import { componentNames } from '../../core/fields/formula/typed'
import { compileFormula } from '../../core/fields/formula/compile'
import { unitName } from '../../core/units/units'
import type { OpenCase } from '../../core/formats/Format'
import { writeCsv } from '../../core/formats/write/csv'
import { writePly, writeStl } from '../../core/formats/write/surfaces'
import { usedPoints } from '../../core/formats/write/usedPoints'
import { wholeCells } from '../../core/formats/write/wholeCells'
import { writeVtk, writeVtm } from '../../core/formats/write/vtkXml'
import type { WriteField } from '../../core/formats/write/vtkXml'
import { isMixedType, mixedTopology, writeXdmf } from '../../core/formats/write/xdmf'
import type { XdmfGrid } from '../../core/formats/write/xdmf'
import type { NormalMesh } from '../../core/mesh/normaliseCells'
import { cornerMeans } from '../../core/store/corners'
import { gatherMesh } from '../../core/store/partition'
import { MemoryPart } from '../../core/store/MemoryPart'
import { facesOfBlock, skinOfBlock } from '../../core/shapes/blockShapes'
import { joinPieces, mapPiece } from '../../core/shapes/Shape'
import type { Piece as ShapePiece } from '../../core/shapes/Shape'
import type { Part } from '../../core/case/catalogue'
import { blockValues, checkWanted, needsCase, presentOn, scopeOf, typedOn } from './convertFormulas'
import { writeHdf5 } from './hdf5Writer'
import type { Hdf5Array } from './hdf5Writer'

/** A part at one moment with the chosen fields in the order of its own points and cells. */
interface Piece {
  part: Part
  mesh: NormalMesh
  fields: WriteField[]
}

export interface Conversion {
  opened: OpenCase
  parts: Part[]
  /** Names and formulas; all fields when undefined. */
  wanted: { name: string; text: string }[] | undefined
  moments: number[]
  /** Called with notes on what had to be left out. */
  tell(text: string): void
}

type Files = Map<string, Uint8Array[] | string | Hdf5Array[]>

const writers: Record<string, (job: Conversion, out: string) => Promise<Files>> = {
  '.vtu': oneGrid,
  '.vtp': oneGrid,
  '.vtm': manyGrids,
  '.xdmf': xdmf,
  '.xmf': xdmf,
  '.stl': surface,
  '.ply': surface,
  '.csv': csv,
}

export const writtenEndings: readonly string[] = Object.keys(writers)

export async function convertCase(conversion: Conversion, out: string): Promise<void> {
  const writer = writers[extname(out).toLowerCase()]
  if (!writer) throw new UserError('usage', `“${out}” is of no kind that is written; known are ${writtenEndings.join(', ')}.`)
  checkWanted(conversion)
  await writeAll(await writer(conversion, out))
}

/** All under temporary names first, then all renamed. */
async function writeAll(files: Files): Promise<void> {
  const names = [...files.keys()]
  const clean = (): void => {
    for (const name of names) rmSync(`${name}.part`, { force: true })
  }
  const stop = (): void => {
    clean()
    process.exit(130)
  }
  process.once('SIGINT', stop).once('SIGTERM', stop)
  try {
    for (const [name, content] of files) {
      await mkdir(dirname(name), { recursive: true })
      if (typeof content === 'string') await writeFile(`${name}.part`, content)
      else if (content[0] && 'path' in content[0]) await writeHdf5(`${name}.part`, content as Hdf5Array[])
      else await writeFile(`${name}.part`, content as Uint8Array[])
    }
    for (const name of names) await rename(`${name}.part`, name)
  } catch (error) {
    clean()
    const { code } = error as NodeJS.ErrnoException
    const reason = {
      ENOSPC: 'the disk is full',
      EACCES: 'permission is denied',
      EROFS: 'the disk is read-only',
      ENOTDIR: 'a file stands where a folder should be',
    }[code ?? '']
    throw reason ? new UserError('not-written', `${names[0]} was not written: ${reason}.`) : error
  } finally {
    process.off('SIGINT', stop).off('SIGTERM', stop)
  }
}

async function pieceOf(conversion: Conversion, part: Part, moment: number): Promise<Piece> {
  const { opened, wanted } = conversion
  const mesh = { ...(await opened.mesh(part.name, moment)), hasOwnCorners: false }
  const present = presentOn(conversion, part, moment)
  const read = async (name: string) => {
    const stored = await opened.values(part.name, name, moment)
    // files have one value for each cell
    const source = stored.place === 'corner' ? cornerMeans(stored) : stored
    return { place: source.place, components: source.components, values: gatherMesh(source, mesh) }
  }
  if (!wanted) {
    const fields: WriteField[] = []
    for (const field of present) fields.push({ name: field.name, unit: field.unit, ...(await read(field.name)) })
    return { part, mesh, fields }
  }
  const scope = scopeOf(conversion, part, present)
  const fields: WriteField[] = []
  for (const { name, text } of wanted) {
    const plain = present.find((f) => text === `\`${f.name}\``)
    if (plain) {
      fields.push({ name, unit: plain.unit, ...(await read(plain.name)) })
      continue
    }
    const typed = typedOn(text, scope)
    if (!typed) continue
    const unit = typed.dimensions && unitName(typed.dimensions)
    if (needsCase(typed)) {
      fields.push({ name, unit, ...(await blockValues(conversion, { part, mesh }, moment, text, typed)) })
      continue
    }
    const formula = compileFormula(typed)
    const n = formula.place === 'cell' ? mesh.types.length : mesh.points.length / 3
    const inputs = []
    for (const field of formula.fields) inputs.push((await read(field.name)).values)
    const values = new Float64Array(n * formula.components)
    formula.run(n, inputs, mesh.points, mesh.points, values)
    fields.push({ name, place: formula.place, components: formula.components, values, unit })
  }
  return { part, mesh, fields }
}

function timeOf({ opened }: Conversion, moment: number): number | undefined {
  return opened.catalogue.moments[moment]!.value ?? undefined
}

/** The cells of the file, with the points they use where pieces were joined. */
function wholeOf({ mesh, fields }: Piece, isWritable?: (type: number) => boolean): ReturnType<typeof wholeCells> {
  const whole = wholeCells(mesh, fields, isWritable)
  return mesh.nPoints === undefined ? whole : usedPoints(whole.mesh, whole.fields)
}

/** Surfaces of a `.vtp` by their pieces, all else by the cells of the file. */
function gridBytes(job: Conversion, piece: Piece, moment: number, kind: 'vtu' | 'vtp'): Uint8Array[] {
  const { lengthUnit } = job.opened.catalogue
  const time = timeOf(job, moment)
  const { mesh, fields } = kind === 'vtp' ? piece : wholeOf(piece)
  return writeVtk(mesh, fields, {
    kind,
    deflate: (bytes) => deflateSync(bytes, { level: 3 }),
    ...(lengthUnit && { lengthUnit }),
    ...(time !== undefined && { time }),
  })
}

/** `run.vtu` becomes `run_0000.vtu` … when there are several moments. */
function numbered(out: string, job: Conversion, index: number): string {
  return job.moments.length === 1 ? out : `${out.slice(0, -extname(out).length)}_${String(index).padStart(4, '0')}${extname(out)}`
}

async function oneGrid(job: Conversion, out: string): Promise<Files> {
  const isSurface = extname(out) === '.vtp'
  const fitting = job.parts.filter((part) => (isSurface ? part.dimension === 2 : part.dimension !== 2 || job.parts.length === 1))
  if (fitting.length !== 1)
    throw new UserError(
      'several',
      `${basename(out)} holds one ${isSurface ? 'surface' : 'region'}, but there are ` +
        `${fitting.length}${fitting.length ? ` (${fitting.map((p) => p.name).join(', ')})` : ''}; choose one with --region or write ` +
        `a .vtm.`,
    )
  const files: Files = new Map()
  for (const [i, moment] of job.moments.entries())
    files.set(numbered(out, job, i), gridBytes(job, await pieceOf(job, fitting[0]!, moment), moment, isSurface ? 'vtp' : 'vtu'))
  return files
}

async function manyGrids(job: Conversion, out: string): Promise<Files> {
  const files: Files = new Map()
  for (const [i, moment] of job.moments.entries()) {
    const name = numbered(out, job, i)
    const folder = basename(name, '.vtm')
    const blocks: { name: string; file: string }[] = []
    for (const [k, part] of job.parts.entries()) {
      const piece = await pieceOf(job, part, moment)
      const kind = part.dimension === 2 && !piece.mesh.whole ? 'vtp' : 'vtu'
      const file = `${folder}/${k}.${kind}`
      files.set(join(dirname(name), file), gridBytes(job, piece, moment, kind))
      blocks.push({ name: part.name, file })
    }
    files.set(name, [writeVtm(blocks)])
  }
  return files
}

async function xdmf(job: Conversion, out: string): Promise<Files> {
  const heavy = `${basename(out, extname(out))}.h5`
  const arrays: Hdf5Array[] = []
  const keep = (path: string, values: Hdf5Array['values'], shape: number[]): Hdf5Array => {
    const array = { path, values, shape }
    arrays.push(array)
    return array
  }
  const moments: XdmfGrid[][] = []
  for (const [m, moment] of job.moments.entries()) {
    const grids: XdmfGrid[] = []
    for (const [k, part] of job.parts.entries()) {
      const piece = await pieceOf(job, part, moment)
      const { mesh, fields } = wholeOf(piece, isMixedType)
      const at = `moment${m}/part${k}`
      const cells = mixedTopology(mesh)
      grids.push({
        name: part.name,
        time: timeOf(job, moment) ?? null,
        topology: { nCells: mesh.types.length, array: keep(`${at}/cells`, cells, [cells.length]) },
        points: keep(`${at}/points`, mesh.points, [mesh.points.length / 3, 3]),
        fields: fields.map(({ name, place, components, values }, f) => ({
          ...{ name, place, components },
          array: keep(`${at}/field${f}`, values, components === 1 ? [values.length] : [values.length / components, components]),
        })),
      })
    }
    moments.push(grids)
  }
  return new Map<string, string | Hdf5Array[]>([
    [join(dirname(out), heavy), arrays],
    [out, writeXdmf(moments, heavy)],
  ])
}

/** Surfaces as they are, regions by their outer surface. */
async function surface(job: Conversion, out: string): Promise<Files> {
  const hasSurfaces = job.parts.some((part) => part.dimension === 2)
  const parts = job.parts.filter((part) => part.dimension === (hasSurfaces ? 2 : 3))
  if (!parts.length) throw new DataError('no-surface', 'There is no surface or region to write; lines and points have no faces.')
  const pieces: { shape: ShapePiece; scalars: { name: string; values: ArrayLike<number> }[] }[] = []
  for (const part of parts) {
    const { mesh, fields } = await pieceOf(job, part, job.moments[0]!)
    const memory = new MemoryPart(part.name, part.dimension, { ...mesh, pointSources: undefined })
    const scalars = fields.filter((f) => f.components === 1 && f.place === 'point')
    for (const { name, values } of scalars) memory.setField(name, { values, components: 1, place: 'point' })
    const make = part.dimension === 3 ? skinOfBlock : facesOfBlock
    const shape = joinPieces(Array.from({ length: memory.nBlocks }, (_, k) => make(memory.block(k), part.name, k)))
    const mapped = scalars.map(({ name }) => ({ name, values: mapPiece(shape, (_part, k, use) => use(memory.field(name, k))).values }))
    pieces.push({ shape, scalars: mapped })
  }
  const whole = joinPieces(pieces.map((piece) => piece.shape))
  const common = pieces[0]!.scalars.filter(({ name }) => pieces.every((piece) => piece.scalars.some((s) => s.name === name)))
  const valuesOf = (name: string): number[] => pieces.flatMap((piece) => Array.from(piece.scalars.find((s) => s.name === name)!.values))
  const fields = common.map(({ name }) => ({ name, values: Float64Array.from(valuesOf(name)) }))
  const write = extname(out).toLowerCase() === '.stl' ? writeStl : writePly
  return new Map([[out, [write({ points: whole.points, elements: whole.elements, fields })]]])
}

/** Points with their values; cell values do not fit rows of points and are left out. */
async function csv(job: Conversion, out: string): Promise<Files> {
  const highest = Math.max(...job.parts.map((part) => part.dimension))
  const part = job.parts.find((p) => p.dimension === highest)!
  const { mesh, fields } = await pieceOf(job, part, job.moments[0]!)
  const n = mesh.points.length / 3
  const column = (values: ArrayLike<number>, components: number, c: number): Float64Array =>
    Float64Array.from({ length: n }, (_, i) => values[i * components + c]!)
  const { lengthUnit } = job.opened.catalogue
  const axes = ['x', 'y', 'z'].map((name, d) => ({ name, unit: lengthUnit, values: column(mesh.points, 3, d) }))
  const points = fields.filter((field) => field.place === 'point')
  const columns = points.flatMap(({ name, components, values, unit = null }) =>
    Array.from({ length: components }, (_, c) => ({
      name: components === 1 ? name : `${name}.${componentNames[components]?.[c] ?? c}`,
      unit,
      values: column(values, components, c),
    })),
  )
  if (points.length < fields.length)
    job.tell(
      `${fields
        .filter((f) => f.place === 'cell')
        .map((f) => f.name)
        .join(', ')} live on cells and are left out of the table of points.`,
    )
  return new Map([[out, writeCsv([...axes, ...columns])]])
}
