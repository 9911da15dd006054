/** Cell and point fields of one moment, with what they are at the patches. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { unitName } from '../../units/units'
import { gatherItems } from '../gatherItems'
import { impliedValues, isAtRest, patchBehind } from './conditions'
import { includeFiles } from './files'
import type { FoamFiles } from './files'
import { isDirective } from './FoamReader'
import type { FoamReader } from './FoamReader'
import { readingFoam } from './FoamStream'
import type { FoamStream } from './FoamStream'
import { heldList, scalarsIn } from './lists'
import type { NumberList } from './lists'
import type { FoamBoundary, Patch } from './mesh'

export interface FieldKind {
  /** `face` values of inner faces have no cell: they are read only at the patches. */
  place: 'point' | 'cell' | 'face'
  components: number
}

const components: Record<string, number> = { Scalar: 1, Vector: 3, SymmTensor: 6, Tensor: 9, SphericalTensor: 1 }

/** Kind of field by the class in its header; undefined for anything else. */
export function fieldKind(className: string): FieldKind | undefined {
  const match = /^(vol|point|surface)(Scalar|Vector|SymmTensor|Tensor|SphericalTensor)Field(::Internal)?$/.exec(className)
  return match
    ? { place: ({ vol: 'cell', point: 'point', surface: 'face' } as const)[match[1] as 'vol'], components: components[match[2]!]! }
    : undefined
}

interface Values {
  /** One value for all, or one each. */
  isUniform: boolean
  list: FloatArray
}

/** What a field is at a patch. */
interface Condition {
  type: string
  values?: Values | undefined
}

/** One value for all, or a list. */
type Inner = { one: FloatArray; list?: undefined } | { list: NumberList<FloatArray>; one?: undefined }

export interface FoamField extends FieldKind {
  unit: string | null
  /** Of all cells, points or inner faces, in the core's order of components. */
  internal: Inner
  /** By name, or by a quoted pattern of names. */
  patches: Map<string, Condition>
}

/** Opens a field of one moment. @throws FormatError naming the file, also when there is none or it holds no field */
export function openField(files: FoamFiles, path: string): Promise<FoamField> {
  return readingFoam(files, path, async (stream) => {
    const kind = fieldKind(stream.reader.class)
    if (!kind) throw new FormatError('no-field', `${path} is no field, though it is one at another time; write the case again.`)
    await includeFiles(files, stream.reader, path.slice(0, path.lastIndexOf('/') + 1))
    const field: FoamField = { ...kind, unit: null, internal: { one: new Float64Array(kind.components).fill(NaN) }, patches: new Map() }
    for (let key = await nextKey(stream); key !== ''; key = await nextKey(stream)) {
      if (key === 'internalField') field.internal = (await openInner(files, path, stream, kind.components)) ?? field.internal
      await stream.entry((reader) => readEntry(reader, key, field))
    }
    return field
  })
}

function nextKey(stream: FoamStream): Promise<string> {
  return stream.entry((reader) => reader.token())
}

/** The value of an entry; for internal values, what follows them. */
function readEntry(reader: FoamReader, key: string, field: FoamField): void {
  if (key === 'boundaryField') return readPatchValues(reader, field)
  if (key === 'dimensions') field.unit = readDimensions(reader)
  if (key === 'dimensions' || key === 'internalField') reader.skipEntry()
  else if (key !== ';') reader.noteEntry(key)
}

/** Values inside, without holding a list of them; undefined if they are no values. */
async function openInner(files: FoamFiles, path: string, stream: FoamStream, n: number): Promise<Inner | undefined> {
  const isList = await stream.entry((reader) => {
    const before = reader.at
    if (reader.token() === 'nonuniform' && reader.listType().components === n) return true
    reader.at = before
    return false
  })
  if (isList) {
    const list = await scalarsIn(files, path, stream, n)
    return { list: { length: list.length, read: async (from, to) => inCoreOrder(await list.read(from, to), n) } }
  }
  const values = await stream.entry((reader) => readValues(reader, n))
  return values && (values.isUniform ? { one: values.list } : { list: heldList(values.list, n) })
}

/** Values [from, to) inside. */
export async function innerValues({ internal, components }: FoamField, from: number, to: number): Promise<FloatArray> {
  return internal.one ? spread({ isUniform: true, list: internal.one }, to - from, components) : internal.list.read(from, to)
}

/** Unit of a field by the beginning of its file; null where it is not stated there. */
export function readUnit(reader: FoamReader): string | null {
  try {
    for (let key = reader.token(); key !== ''; key = reader.token()) {
      if (key === 'dimensions') return readDimensions(reader)
      reader.noteEntry(key)
    }
  } catch (error) {
    // it goes on behind what was read
    if (!(error instanceof FormatError)) throw error
  }
  return null
}

/** `[kg m s K mol A cd]`; fewer than seven when electricity and light play no part. */
export function readDimensions(reader: FoamReader): string {
  reader.expect('[')
  const e: number[] = []
  while (reader.peek() !== ']') e.push(reader.number())
  reader.expect(']')
  const [kg = 0, m = 0, s = 0, k = 0, mol = 0, a = 0, cd = 0] = e
  return unitName([m, kg, s, k, a, mol, cd])
}

/** @param internal  the value of `$internalField`: a list of internal values is no list of values on a patch */
function readValues(reader: FoamReader, n: number, internal?: Inner): Values | undefined {
  if (internal && /^\$[:.]*internalField$/.test(reader.peek())) {
    reader.token()
    return internal.one && { isUniform: true, list: internal.one }
  }
  const source = reader.macro() ?? reader
  const word = source.token()
  if (word === 'uniform') return { isUniform: true, list: inCoreOrder(Float64Array.from((source.macro() ?? source).tuple(n)), n) }
  if (word === 'nonuniform') return { isUniform: false, list: inCoreOrder(source.nonuniform(), n) }
  return undefined
}

function readPatchValues(reader: FoamReader, field: FoamField): void {
  reader.expect('{')
  for (let patch = reader.token(); patch !== '}'; patch = reader.token()) {
    if (patch === '') throw reader.damaged('it is cut off')
    if (isDirective(patch)) {
      reader.skipDirective(patch)
      continue
    }
    const condition: Condition = { type: '' }
    reader.expect('{')
    for (let key = reader.token(); key !== '}'; key = reader.token()) {
      if (key === '') throw reader.damaged('it is cut off')
      if (key === 'type') condition.type = reader.peek()
      else if (key === 'value') condition.values = readValues(reader, field.components, field.internal)
      if (isDirective(key)) reader.skipDirective(key)
      else reader.skipEntry()
    }
    field.patches.set(patch, condition)
  }
}

/** Symmetric tensors are stored as xx xy xz yy yz zz in the files; the core has xx yy zz xy yz xz. Both are tensor shear. */
export function inCoreOrder(values: FloatArray, n: number): FloatArray {
  if (n !== 6) return values
  const order = [0, 3, 5, 1, 4, 2]
  const out = values.slice()
  for (let i = 0; i + 5 < values.length; i += 6) for (let c = 0; c < 6; c++) out[i + c] = values[i + order[c]!]!
  return out
}

export function spread({ isUniform, list }: Values, n: number, components: number): FloatArray {
  if (!isUniform) return list
  const out = new Float64Array(n * components)
  for (let i = 0; i < out.length; i++) out[i] = list[i % components]!
  return out
}

/** The name itself comes first, then the last pattern that fits it as a whole. */
function conditionOf(patches: FoamField['patches'], name: string): Condition | undefined {
  let found = patches.get(name)
  if (!found) for (const [pattern, condition] of patches) if (pattern.startsWith('"') && fits(pattern.slice(1, -1), name)) found = condition
  return found
}

/** Repetitions in a pattern: more could be tried for ever. */
const MOST_REPEATS = 3

/** One that is no regular expression is a name in quotes, as are those that could be tried for ever: with groups repeated, or much else. */
function fits(pattern: string, name: string): boolean {
  if (pattern === name) return true
  const isShort = pattern.length < 200 && name.length < 200
  if (!isShort || /\)[+*{]/.test(pattern) || (pattern.match(/[+*{?]/g)?.length ?? 0) > MOST_REPEATS) return false
  try {
    return new RegExp(`^(?:${pattern})$`).test(name)
  } catch {
    return false
  }
}

/** Values on the faces of a patch that are in the file; undefined where there are none. */
export function storedValues({ patches, internal, components, place }: FoamField, { name, nFaces }: Patch): FloatArray | undefined {
  const stored = conditionOf(patches, name)?.values
  if (stored && (stored.isUniform || stored.list.length === nFaces * components)) return spread(stored, nFaces, components)
  return internal.one && place === 'face' ? spread({ isUniform: true, list: internal.one }, nFaces, components) : undefined
}

/** Values of the cells behind all faces that are not between two cells. */
export function valuesBehind({ internal, components }: FoamField, { owner }: FoamBoundary): Promise<FloatArray> {
  return internal.one
    ? Promise.resolve(spread({ isUniform: true, list: internal.one }, owner.length, components))
    : gatherItems(internal.list, owner, components)
}

/**
 * Values of a field on the faces of a patch: the stored ones, else what its condition implies; a flux
 * through a face has no cell.
 *
 * @param behind  gives `valuesBehind`, which all patches share
 */
export async function patchValues(
  field: FoamField,
  boundary: FoamBoundary,
  name: string,
  behind: () => Promise<FloatArray>,
): Promise<FloatArray> {
  const patch = boundary.patches.find((p) => p.name === name)
  if (!patch) return new Float64Array(0)
  const stored = storedValues(field, patch)
  if (stored) return stored
  const { components, place } = field
  if (place === 'face') return new Float64Array(components * patch.nFaces).fill(NaN)
  const condition = conditionOf(field.patches, name)?.type ?? ''
  if (isAtRest(condition)) return new Float64Array(components * patch.nFaces)
  const all = await behind()
  const cellsBehind = ({ startFace, nFaces }: Patch): FloatArray =>
    all.slice(components * (startFace - boundary.firstFace), components * (startFace - boundary.firstFace + nFaces))
  const cells = cellsBehind(patch)
  const other = patchBehind(boundary, patch, components)
  // half way between two cells, as near to both
  const beyond = other && cellsBehind(other)
  if (beyond) return cells.map((x, i) => (x + beyond[i]!) / 2)
  return impliedValues(condition, cells, components, boundary, patch)
}
