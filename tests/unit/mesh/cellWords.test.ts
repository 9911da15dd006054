import { expect, test } from 'vitest'
import { cellWords } from '../../../core/mesh/cellWords'
import { sourceTypeNames } from '../../../core/mesh/normaliseCells'

test.each([
  ['hexahedron', 2, 'hexahedra'],
  ['hexahedron', 1, 'hexahedron'],
  ['tetra', 1, 'tetrahedron'],
  ['tetra10', 5, 'tetrahedra of 10 nodes'],
  ['face', 1, 'face'],
  ['type', 3, 'type'],
])('%s, %i: %s', (type, n, words) => expect(cellWords(type, n)).toBe(words))

test('every type that is read has a plural', () => {
  for (const name of Object.values(sourceTypeNames)) expect(cellWords(name), name).not.toBe(cellWords(name, 1))
})
