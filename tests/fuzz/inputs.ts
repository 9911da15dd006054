/**
 * Spoiled files for readers: small valid samples of every format, cut, with bytes changed, with numbers made huge. Seeded: the
 * same number always makes the same input.
 */
import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { cgnsFile, exodusHdf5, facesOf, medFile, writeHdf5, xdmfCase } from '../support/writers/hdf5'
import { exodusClassic } from '../support/writers/netcdf'
import { foamCase } from '../support/writers/foam'
import type { FoamVariant } from '../support/writers/foam'
import { frdFile } from '../support/writers/frd'
import { legacyFile } from '../support/writers/legacy'
import { boxModel } from '../support/writers/model'
import { writePly, writeStl } from '../../core/formats/write/surfaces'
import { vtuFile } from '../support/vtkFiles'
import type { FileArray } from '../support/vtkFiles'

export interface Sample {
  /** What is opened: a file, or a folder with a slash. */
  name: string
  files: Record<string, Uint8Array>
  /** The file that is spoiled. */
  target: string
}

export async function samples(): Promise<Sample[]> {
  const model = boxModel()
  const content = {
    points: model.points.flat(),
    connectivity: model.cells.flat(),
    offsets: model.cells.map((_, i) => 8 * (i + 1)),
    types: model.cells.map(() => 12),
    pointData: [{ name: 'T', type: 'Float32', values: model.temperature }],
  }
  const triangles = { points: Float64Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), elements: Uint32Array.of(0, 1, 2) }
  const one = (name: string, bytes: Uint8Array): Sample => ({ name, files: { [name]: bytes }, target: name })
  const list: Sample[] = [
    one('a.vtu', vtuFile(content, { encoding: 'ascii' })),
    one('raw.vtu', vtuFile(content, { encoding: 'appended raw' })),
    one('zlib.vtu', vtuFile(content, { encoding: 'appended zlib', header: 'UInt64' })),
    one('base64.vtu', vtuFile(content, { encoding: 'appended base64' })),
    one('inline.vtu', vtuFile(content, { encoding: 'inline zlib', header: 'UInt64' })),
    one('lz4.vtu', vtuFile(content, { encoding: 'inline lz4' })),
    one('xz.vtu', vtuFile(content, { encoding: 'appended xz' })),
    one('a.vtk', legacyFile(model, { version: '3.0', isBinary: false })),
    one('b.vtk', legacyFile(model, { version: '5.1', isBinary: true })),
    one('a.frd', frdFile(model, 'long')),
    one('b.frd', frdFile(model, 'double')),
    one('a.stl', writeStl(triangles)),
    one('a.ply', writePly(triangles)),
    one('a.csv', Buffer.from('x,y,z,T [K]\n0,0,0,1\n1,1,1,2\n')),
    one('classic.exo', exodusClassic(model, 2, [0, 1])),
  ]
  const { faces, ofCell } = facesOf(model)
  const streams = ofCell.map((own) => [own.length, ...own.flatMap((f) => [4, ...faces[Math.abs(f) - 1]!])])
  const int = (name: string, values: readonly number[]): FileArray => ({ name, type: 'Int64', values })
  const older = [
    int('faces', streams.flat()),
    int(
      'faceoffsets',
      streams.map((stream, c) => stream.length * (c + 1)),
    ),
  ]
  const newer = [
    int('face_connectivity', faces.flat()),
    int(
      'face_offsets',
      faces.map((_, f) => 4 * (f + 1)),
    ),
    int(
      'polyhedron_to_faces',
      ofCell.flat().map((f) => Math.abs(f) - 1),
    ),
    int(
      'polyhedron_offsets',
      ofCell.map((_, c) => 6 * (c + 1)),
    ),
  ]
  for (const [name, cellArrays] of [
    ['older.vtu', older],
    ['newer.vtu', newer],
  ] as const)
    list.push(one(name, vtuFile({ ...content, types: model.cells.map(() => 42), cellArrays }, { encoding: 'appended raw' })))
  const variants: [FoamVariant, string[]][] = [
    [{}, ['faces', 'owner', 'boundary', 'U']],
    [{ isBinary: true, hasFluxes: true }, ['faces', 'owner', 'boundary', 'U', 'faceZones', 'phi']],
    [{ isZipped: true }, ['faces.gz', 'U.gz']],
  ]
  for (const [variant, targets] of variants) {
    const files = Object.fromEntries(Object.entries(foamCase(model, variant)).map(([name, bytes]) => [`run/${name}`, bytes]))
    for (const target of targets)
      list.push({ name: 'run/', files, target: /^(U|phi)/.test(target) ? `run/0.5/${target}` : `run/constant/polyMesh/${target}` })
  }
  return [...list, ...(await hdf5Samples())]
}

async function hdf5Samples(): Promise<Sample[]> {
  const model = boxModel()
  const root = await mkdtemp(join(tmpdir(), 'stavik-fuzz-'))
  try {
    await writeHdf5(join(root, 'a.cgns'), cgnsFile(model, 'faces', [0, 1]))
    await writeHdf5(join(root, 'a.med'), medFile(model, [0]))
    await writeHdf5(join(root, 'a.exo'), exodusHdf5(model, [0]))
    const light = Buffer.from(await xdmfCase(model, root, { heavy: 'HDF', times: [0, 1] }))
    const heavy = await readFile(join(root, 'box.h5'))
    const list: Sample[] = []
    for (const name of ['a.cgns', 'a.med', 'a.exo']) list.push({ name, files: { [name]: await readFile(join(root, name)) }, target: name })
    for (const target of ['a.xdmf', 'box.h5']) list.push({ name: 'a.xdmf', files: { 'a.xdmf': light, 'box.h5': heavy }, target })
    return list
  } finally {
    await rm(root, { recursive: true, force: true })
  }
}

/** Whole numbers below `n`, always the same for one seed (xorshift32). */
export function randomOf(seed: number): (n: number) => number {
  let state = (seed * 2654435761 + 12345) >>> 0 || 1
  return (n) => {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    return (state >>> 0) % n
  }
}

const hugeNumbers = ['99999999999', '-1', 'NaN', '1e308', '4294967296', '0']

/** One spoiled copy, and what was done to it. */
export function spoiled(bytes: Uint8Array, seed: number): { bytes: Uint8Array; how: string } {
  const random = randomOf(seed)
  const copy = new Uint8Array(bytes)
  switch (random(5)) {
    case 0: {
      const end = random(bytes.length)
      return { bytes: copy.subarray(0, end), how: `cut at byte ${end}` }
    }
    case 1: {
      const places = Array.from({ length: 1 + random(8) }, () => random(copy.length))
      for (const at of places) copy[at]! ^= 1 << random(8)
      return { bytes: copy, how: `bits changed at ${places.join(', ')}` }
    }
    case 2: {
      const at = random(copy.length)
      copy.fill(random(2) ? 0xff : 0, at, at + 1 + random(16))
      return { bytes: copy, how: `bytes filled from ${at}` }
    }
    case 3: {
      // a number of a text becomes another
      const text = Buffer.from(bytes).toString('latin1')
      const numbers = [...text.matchAll(/\b\d+\b/g)]
      if (!numbers.length) return { bytes: copy.subarray(1), how: 'first byte gone' }
      const { index, 0: word } = numbers[random(numbers.length)]!
      const huge = hugeNumbers[random(hugeNumbers.length)]!
      return {
        bytes: Buffer.from(text.slice(0, index) + huge + text.slice(index + word.length), 'latin1'),
        how: `“${word}” at ${index} became ${huge}`,
      }
    }
    default: {
      const [from, size] = [random(copy.length), 1 + random(64)]
      return {
        bytes: Buffer.concat([copy.subarray(0, from), copy.subarray(Math.max(0, from - size))]),
        how: `${size} bytes doubled at ${from}`,
      }
    }
  }
}
