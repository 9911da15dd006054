/** The tree of a CGNS file as it is kept in HDF5: every node is a group with a label, its data in ` data`. */
import type { FloatArray } from '../../mesh/MeshBlock'
import { datasetAt, groupAt, textOf, textRows } from '../hdf5/Hdf5'
import type { Hdf5Dataset, Hdf5Group } from '../hdf5/Hdf5'

export interface Node {
  name: string
  label: string
  group: Hdf5Group
}

const DATA = ' data'

export function childrenOf(group: Hdf5Group, label?: string): Node[] {
  const found: Node[] = []
  for (const name of group.names()) {
    const child = groupAt(group, name)
    if (!child) continue
    const own = textOf(child, 'label')
    if (own && (label === undefined || own === label)) found.push({ name, label: own, group: child })
  }
  return found
}

export function childLabelled(group: Hdf5Group, label: string): Node | undefined {
  return childrenOf(group, label)[0]
}

export function childNamed(group: Hdf5Group, name: string): Node | undefined {
  const child = groupAt(group, name)
  return child && { name, label: textOf(child, 'label'), group: child }
}

export function datasetOf(node: Node | undefined): Hdf5Dataset | undefined {
  return node && datasetAt(node.group, DATA)
}

export function numbersOf(node: Node | undefined): FloatArray | undefined {
  return datasetOf(node)?.numbers()
}

/** Characters are kept as numbers. */
export function textOfNode(node: Node | undefined): string {
  const codes = numbersOf(node)
  return codes ? (textRows(codes, codes.length)[0] ?? '') : ''
}

export function numberTypeOf(node: Node): string {
  return datasetOf(node)?.numberType ?? 'Float64'
}
