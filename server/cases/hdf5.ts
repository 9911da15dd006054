/** HDF5 files through the library compiled to WebAssembly; it reads ranges of a file on disk, not the whole. */
import type { Dataset, File, Group } from 'h5wasm/node'
import { FormatError } from '../../core/errors'
import type { FloatArray } from '../../core/mesh/MeshBlock'
import type { Hdf5Dataset, Hdf5File, Hdf5Group, Hdf5Value } from '../../core/formats/hdf5/Hdf5'

/** A dataset is copied out in slices of about this many bytes, so that the library's own memory stays small. */
const SLICE_BYTES = 1 << 26

type Library = typeof import('h5wasm/node').default

let loaded: Promise<Library> | undefined
/** Libraries that a damaged file has made unusable. */
let nBroken = 0

/** The library, loaded when it is first needed: it is large. */
function library(): Promise<Library> {
  loaded ??= load()
  return loaded
}

async function load(): Promise<Library> {
  // a module of another address is an instance of its own, with a memory of its own
  const { default: h5wasm } = (
    nBroken ? await import(`${import.meta.resolve('h5wasm/node')}?${nBroken}`) : await import('h5wasm/node')
  ) as { default: Library }
  // else the library prints what goes wrong and carries on
  ;(await h5wasm.ready).activate_throwing_error_handler()
  return h5wasm
}

/** Runs a call of the library. What ends in the middle of it leaves its memory in no order: files opened later get another one. */
function called<T>(run: () => T): T {
  try {
    return run()
  } catch (error) {
    if (error instanceof WebAssembly.RuntimeError && loaded) {
      loaded = undefined
      nBroken++
    }
    throw error
  }
}

/** @throws FormatError when the file is cut off or no HDF5 file */
export async function openHdf5(path: string, name: string): Promise<Hdf5File> {
  const h5wasm = await library()
  let file: File
  try {
    file = called(() => new h5wasm.File(path, 'r'))
  } catch (error) {
    const reason = /truncated/.test(String(error)) ? 'it is cut off' : 'it is damaged or no HDF5 file'
    throw new FormatError('bad-hdf5', `${name} cannot be opened: ${reason}; copy it again.`)
  }
  return { root: new WasmGroup(h5wasm, file, name), close: () => guarded(name, () => void file.close()) }
}

function guarded<T>(what: string, run: () => T): T {
  try {
    return called(run)
  } catch (error) {
    if (error instanceof FormatError) throw error
    throw new FormatError('bad-hdf5', `${what} cannot be read: the file is damaged or cut off; copy it again.`)
  }
}

class WasmGroup implements Hdf5Group {
  readonly kind = 'group'

  constructor(
    private readonly h5wasm: Library,
    private readonly group: Group,
    private readonly file: string,
  ) {}

  get path(): string {
    return this.group.path
  }

  names(): string[] {
    return guarded(`${this.file}${this.path}`, () => this.group.keys())
  }

  get(path: string): Hdf5Group | Hdf5Dataset | undefined {
    let found: unknown
    try {
      found = called(() => this.group.get(path))
    } catch {
      return undefined
    }
    if (found instanceof this.h5wasm.Dataset) return new WasmDataset(found, this.file)
    return found instanceof this.h5wasm.Group ? new WasmGroup(this.h5wasm, found, this.file) : undefined
  }

  attribute(name: string): Hdf5Value | undefined {
    return attributeOf(this.group, name)
  }
}

class WasmDataset implements Hdf5Dataset {
  readonly kind = 'dataset'

  constructor(
    private readonly dataset: Dataset,
    private readonly file: string,
  ) {}

  get path(): string {
    return this.dataset.path
  }

  get shape(): number[] {
    return guarded(`${this.file}${this.path}`, () => this.dataset.shape) ?? []
  }

  get numberType(): string {
    const type = guarded(`${this.file}${this.path}`, () => String(this.dataset.dtype))
    return { '<f': 'Float32', '>f': 'Float32', '<d': 'Float64', '>d': 'Float64' }[type] ?? 'Int'
  }

  attribute(name: string): Hdf5Value | undefined {
    return attributeOf(this.dataset, name)
  }

  numbers(ranges?: [number, number][]): FloatArray {
    const what = `${this.file}${this.path}`
    const { shape } = this
    const wanted = shape.map((n, d): [number, number] => ranges?.[d] ?? [0, n])
    const total = wanted.reduce((n, [from, to]) => n * (to - from), 1)
    const out = this.numberType === 'Float32' ? new Float32Array(total) : new Float64Array(total)
    if (!shape.length) {
      out.set(
        toNumbers(
          guarded(what, () => this.dataset.value),
          what,
        ),
      )
      return out
    }
    const row = wanted.slice(1).reduce((n, [from, to]) => n * (to - from), 1)
    const rows = Math.max(1, Math.floor(SLICE_BYTES / (8 * Math.max(row, 1))))
    for (let from = wanted[0]![0]; from < wanted[0]![1]; from += rows) {
      const slice: [number, number][] = [[from, Math.min(from + rows, wanted[0]![1])], ...wanted.slice(1)]
      out.set(
        toNumbers(
          guarded(what, () => this.dataset.slice(slice)),
          what,
        ),
        (from - wanted[0]![0]) * row,
      )
    }
    return out
  }

  texts(): string[] {
    const value = guarded(`${this.file}${this.path}`, () => this.dataset.value)
    return (Array.isArray(value) ? value : [value]).map((text) => String(text).split('\0')[0]!.trim())
  }
}

function toNumbers(value: unknown, what: string): ArrayLike<number> {
  if (value instanceof BigInt64Array || value instanceof BigUint64Array) return Float64Array.from(value, Number)
  if (ArrayBuffer.isView(value)) return value as unknown as ArrayLike<number>
  if (typeof value === 'number' || typeof value === 'bigint') return [Number(value)]
  if (value === null) return []
  throw new FormatError('bad-type', `${what} holds no numbers.`)
}

function attributeOf(item: Group | Dataset, name: string): Hdf5Value | undefined {
  try {
    const value = called(() => item.attrs[name]?.value)
    if (value === undefined || value === null) return undefined
    if (typeof value === 'string' || typeof value === 'number') return value
    if (Array.isArray(value)) return value.map(String)
    return toNumbers(value, name)
  } catch {
    return undefined
  }
}
