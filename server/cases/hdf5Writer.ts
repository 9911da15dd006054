/** Writes arrays into a new HDF5 file. */
import type { Group } from 'h5wasm/node'

export interface Hdf5Array {
  path: string
  values: Float32Array | Float64Array | Int32Array
  shape: number[]
}

export async function writeHdf5(path: string, arrays: readonly Hdf5Array[]): Promise<void> {
  const h5wasm = (await import('h5wasm/node')).default
  await h5wasm.ready
  const file = new h5wasm.File(path, 'w')
  try {
    for (const { path: name, values, shape } of arrays) {
      const steps = name.split('/')
      let group: Group = file
      for (const step of steps.slice(0, -1)) group = (group.get(step) as Group | null) ?? group.create_group(step)
      group.create_dataset({ name: steps[steps.length - 1]!, data: values, shape })
    }
  } finally {
    file.close()
  }
}
