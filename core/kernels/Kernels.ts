/**
 * Kernels in WebAssembly, for the loops that take most of the time. Their source is in `assembly/` (AssemblyScript), compiled by
 * `scripts/kernels.mjs` into `wasm.ts`.
 *
 * An instance has a memory of its own, used as a stack: arrays are put into it, a kernel runs over them, results are copied out.
 * Memory never shrinks; an instance that had to hold much is for one task. Views are good until something is taken.
 */
import { wasm } from './wasm'

type Run = Record<
  | 'mark'
  | 'release'
  | 'beginFaces'
  | 'addFaces'
  | 'openFaces'
  | 'waitingFaces'
  | 'listOpen'
  | 'gatherSingle'
  | 'gatherDouble'
  | 'orientCells'
  | 'curvePlaces'
  | 'placeSingle'
  | 'placeDouble'
  | 'dealCells'
  | 'sortRecords'
  | 'orderByKey'
  | 'numberPoints'
  | 'groupNodes'
  | 'groupBoxesSingle'
  | 'groupBoxesDouble'
  | 'sizesSingle'
  | 'sizesDouble'
  | 'groupRanges'
  | 'extremes'
  | 'boxSingle'
  | 'boxDouble'
  | 'cellVolumes'
  | 'integrateLinear'
  | 'listPoints'
  | 'listCut'
  | 'cutListed'
  | 'decodeBase64',
  (...numbers: number[]) => number
>

interface Exports extends Run {
  memory: WebAssembly.Memory
  alloc(bytes: number): number
}

/** What kernels ask of their caller. */
export interface Host {
  /** Brings page k of the points into memory and says where. */
  loadPage(k: number): number
  /** Empties a bin of cells. */
  flush(bin: number): void
}

type Numbers = Uint8Array | Uint16Array | Uint32Array | Int32Array | Float32Array | Float64Array
type Maker<T> = { new (buffer: ArrayBufferLike, at: number, n: number): T; readonly BYTES_PER_ELEMENT: number }

let compiled: WebAssembly.Module | undefined

const unused = (): never => {
  throw new Error('this instance has no host')
}

export class Kernels {
  readonly run: Run
  private readonly exports: Exports

  constructor(host: Partial<Host> = {}) {
    compiled ??= new WebAssembly.Module(Uint8Array.from(atob(wasm), (c) => c.charCodeAt(0)))
    const env = { loadPage: unused, flush: unused, ...host, abort: unused }
    this.exports = new WebAssembly.Instance(compiled, { env }).exports as unknown as Exports
    this.run = this.exports
  }

  /** Room for n numbers, not cleared. @returns where */
  take(type: Maker<Numbers>, n: number): number {
    // addresses come back as signed numbers
    return this.exports.alloc(n * type.BYTES_PER_ELEMENT) >>> 0
  }

  /** Copies an array in. @returns where */
  put(array: Numbers): number {
    const at = this.take(array.constructor as Maker<Numbers>, array.length)
    this.view(array.constructor as Maker<Numbers>, at, array.length).set(array)
    return at
  }

  /** A view of n numbers. */
  view<T extends Numbers>(type: Maker<T>, at: number, n: number): T {
    return new type(this.exports.memory.buffer, at, n)
  }

  /** What is taken meanwhile is given back. */
  within<T>(work: () => T): T {
    const before = this.run.mark()
    try {
      return work()
    } finally {
      this.run.release(before)
    }
  }
}

let shared: Kernels | undefined

/** One instance for small work that keeps nothing: of a block, of a window of cells. */
export function sharedKernels(): Kernels {
  return (shared ??= new Kernels())
}
