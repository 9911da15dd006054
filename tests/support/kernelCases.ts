/** A block and values for the kernels' tests, with what must come out said plainly. */
import type { FloatArray, MeshBlock } from '../../core/mesh/MeshBlock'
import { GROUP_CELLS } from '../../core/mesh/MeshBlock'
import type { PlainValues } from '../../core/formats/Format'
import { decodeField, FieldWriter } from '../../core/store/blockStore'
import type { FieldIndex, Sink } from '../../core/store/blockStore'
import { gatherBlock, makeBlock, partition } from '../../core/store/partition'
import { boxMesh } from './meshes'

type FloatType = typeof Float32Array | typeof Float64Array

/** One block of more than one group. */
export function cornerCase(type: FloatType): { mesh: MeshBlock; groups: { low: number[]; high: number[]; nodes: Uint32Array }[] } {
  const box = boxMesh({ n: 11, kind: 'mixed', size: [1e3, 1e-3, 1] })
  const mesh = makeBlock(partition({ ...box, points: type.from(box.points) as FloatArray }, 4 * GROUP_CELLS), 0)
  const groups = []
  for (let first = 0; first < mesh.types.length; first += GROUP_CELLS) {
    const nodes = mesh.connectivity.subarray(mesh.offsets[first], mesh.offsets[Math.min(first + GROUP_CELLS, mesh.types.length)])
    const along = (d: number): number[] => Array.from(nodes, (p) => mesh.points[3 * p + d]!)
    groups.push({ low: [0, 1, 2].map((d) => Math.min(...along(d))), high: [0, 1, 2].map((d) => Math.max(...along(d))), nodes })
  }
  return { mesh, groups }
}

/** Writes values in the order of the blocks. */
export async function writeField(source: PlainValues, blocks: readonly MeshBlock[], sink: Sink): Promise<FieldIndex> {
  const writer = new FieldWriter(source.components, source.place, sink)
  for (const block of blocks) await writer.add(gatherBlock(source, block), source.place === 'point' ? block : undefined)
  return writer.index
}

/** Writes values of which some are not finite. */
export async function writeValues(
  mesh: MeshBlock,
  type: FloatType,
  components: number,
  place: 'point' | 'cell',
): Promise<{ index: FieldIndex; groups: Float64Array; expected: { range: number[]; groups: number[]; nonFinite: number } }> {
  const numbers = place === 'cell' ? mesh.cellNumbers : mesh.pointNumbers
  const values = new type(components * (Math.max(...numbers) + 1)).map((_, i) => 10 * Math.cos(i))
  values[components * numbers[5]!] = NaN
  let bytes = new Uint8Array(0)
  const index = await writeField({ values, components, place }, [mesh], { append: async (packet) => void (bytes = packet.slice()) })
  const sizes = Array.from(numbers, (number) => {
    const item = Array.from(values.subarray(components * number, components * (number + 1)))
    return components === 1 ? item[0]! : Math.sqrt(item.reduce((sum, x, c) => sum + (components === 6 && c >= 3 ? 2 : 1) * x * x, 0))
  })
  const finite = (list: readonly number[]): number[] => {
    const good = list.filter(Number.isFinite)
    return [Math.min(...good), Math.max(...good)]
  }
  const groups = []
  for (let first = 0; first < mesh.types.length; first += GROUP_CELLS) {
    const last = Math.min(first + GROUP_CELLS, mesh.types.length)
    const items =
      place === 'cell'
        ? sizes.slice(first, last)
        : Array.from(mesh.connectivity.subarray(mesh.offsets[first], mesh.offsets[last]), (p) => sizes[p]!)
    groups.push(...finite(items))
  }
  return {
    index,
    groups: decodeField(bytes.buffer).groups,
    expected: { range: finite(sizes), groups, nonFinite: sizes.filter((x) => !Number.isFinite(x)).length },
  }
}
