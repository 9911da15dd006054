import { describe, expect, it } from 'vitest'
import { openFile } from '../../../core/formats'
import { readXmlTree } from '../../../core/formats/xmlTree'
import { MemorySource } from '../../../core/formats/ByteSource'
import { writeVtk, writeVtm } from '../../../core/formats/write/vtkXml'
import { cellDimension, CellType, cellFaces, cellNodeCount } from '../../../core/mesh/cellTypes'
import { boxOfPoints, diagonal, isInBox, unionBox } from '../../../core/mesh/boxes'
import { groupsOf } from '../../../core/mesh/groups'
import { describeCase } from '../../../cli/info'
import { table } from '../../../cli/arguments'
import { readCase } from '../../../core/store/memoryCase'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'
import { MemoryFolder } from '../../support/vtkFiles'

describe.each(boxKinds)('a written file of %s cells', (kind) => {
  const mesh = boxMesh({ n: 3, kind, size: [2, 1, 1] })
  const fields = [
    { name: 'T & more', place: 'point' as const, components: 1, values: atPoints(mesh, (x, y) => 280 + x - y), unit: 'K' },
    { name: 'U', place: 'point' as const, components: 3, values: atPoints(mesh, (x, y, z) => [x, y, z]), unit: 'm/s' },
    { name: 'id', place: 'cell' as const, components: 1, values: Float64Array.from(mesh.types, (_, i) => i), unit: null },
  ]
  const bytes = Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm', time: 3.5 }))
  const open = async () => {
    const folder = new MemoryFolder({ 'w.vtu': bytes })
    return openFile(await folder.open('w.vtu'), folder)
  }

  it('comes back with its cells, values, units and time', async () => {
    const opened = await open()
    const back = await opened.mesh('region', 0)
    expect([...back.types]).toEqual([...mesh.types])
    expect([...back.connectivity]).toEqual([...mesh.connectivity])
    expect([...back.points]).toEqual([...mesh.points])
    for (const { name, values } of fields) expect([...(await opened.values('region', name, 0)).values]).toEqual([...values])
    expect(opened.catalogue.fields.map((f) => [f.name, f.unit])).toEqual([
      ['T & more', 'K'],
      ['U', 'm/s'],
      ['id', null],
    ])
    expect([opened.catalogue.lengthUnit, opened.catalogue.moments[0]!.value]).toEqual(['m', 3.5])
  })

  it('is described with exact figures', async () => {
    const info = describeCase(await readCase(await open(), 0))
    expect(info.regions).toMatchObject([{ name: 'region', cells: mesh.types.length, bounds: [0, 0, 0, 2, 1, 1] }])
    expect(info.regions[0]!.volume).toBeCloseTo(2, 12)
    expect(info.surfaces).toMatchObject([{ name: 'outer' }])
    expect(info.surfaces[0]!.area).toBeCloseTo(10, 12)
    const temperature = info.fields.find((f) => f.name === 'T & more')!
    expect([temperature.min, temperature.max]).toEqual([279, 282])
    expect(temperature.mean).toBeCloseTo(280.5, 10)
    expect(info.fields.find((f) => f.name === 'U')!.componentRanges).toEqual([
      [0, 2],
      [0, 1],
      [0, 1],
    ])
    expect(info.times).toEqual([3.5])
  })
})

describe('the tree of a file', () => {
  const tree = (text: string) => readXmlTree(new MemorySource('t.xml', Buffer.from(text)))

  it('keeps names, attributes and where the content is', async () => {
    const root = await tree('<?xml version="1.0"?><a x="1 &lt; 2" y=\'&#65;&#x42;&quot;\'><!-- no --><b/><c>text</c></a>')
    expect(root.attributes).toEqual({ x: '1 < 2', y: 'AB"' })
    expect(root.children.map((c) => c.name)).toEqual(['b', 'c'])
    const [start, end] = root.children[1]!.content
    expect(end - start).toBe(4)
  })

  it.each([
    ['<a><b></a></b>', /closes nothing/],
    ['<a><b>', /ends inside <b>/],
    ['', /ends inside/],
    ['</a>', /closes nothing/],
    ['<a>' + '<b>'.repeat(60), /more elements than/],
    ['<!DOCTYPE x [<!ENTITY a "b">]><a/>', /declares a document type/],
    ['< >', /is not a tag/],
  ])('%s is refused', async (text, message) => {
    await expect(tree(text)).rejects.toThrow(message)
  })

  it('a block’s name is escaped and comes back', async () => {
    const root = await readXmlTree(new MemorySource('m.vtm', writeVtm([{ name: 'a "b" <c> & d', file: 'x.vtu' }])))
    expect(root.children[0]!.children[0]!.attributes['name']).toBe('a "b" <c> & d')
  })
})

describe('cell types', () => {
  it.each([CellType.tetra, CellType.hexahedron, CellType.wedge, CellType.pyramid])(
    'faces of type %i close: every edge is used once each way',
    (type) => {
      const edges = new Set<string>()
      for (const face of cellFaces[type]!) {
        face.forEach((a, i) => {
          const edge = `${a} ${face[(i + 1) % face.length]}`
          expect(edges.has(edge)).toBe(false)
          edges.add(edge)
        })
      }
      for (const edge of edges) expect(edges.has(edge.split(' ').reverse().join(' '))).toBe(true)
      expect(new Set(cellFaces[type]!.flat()).size).toBe(cellNodeCount[type])
      expect(cellDimension(type)).toBe(3)
    },
  )
})

describe('boxes', () => {
  it('hold their points, join, and know their size', () => {
    const box = boxOfPoints(Float64Array.of(1, 2, 3, -1, 5, 3))
    expect(box).toEqual([-1, 2, 3, 1, 5, 3])
    expect(unionBox([box, [0, 0, 0, 9, 1, 1]])).toEqual([-1, 0, 0, 9, 5, 3])
    expect(diagonal([0, 0, 0, 3, 4, 0])).toBe(5)
    expect(diagonal(boxOfPoints(new Float64Array(0)))).toBe(0)
    expect([isInBox(box, 0, 3, 3, 0), isInBox(box, 0, 3, 3.1, 0), isInBox(box, 0, 3, 3.1, 0.2)]).toEqual([true, false, true])
  })

  it('of groups hold every point of their cells, single precision included', () => {
    const mesh = boxMesh({ n: 11, kind: 'mixed', size: [0.1, 0.7, 1.3] })
    const { groups } = groupsOf(mesh)
    for (let c = 0; c < mesh.types.length; c++) {
      const g = 6 * Math.floor(c / 1024)
      for (let i = mesh.offsets[c]!; i < mesh.offsets[c + 1]!; i++) {
        for (let d = 0; d < 3; d++) {
          const x = mesh.points[3 * mesh.connectivity[i]! + d]!
          expect(x >= groups[g + 2 * d]! && x <= groups[g + 2 * d + 1]!).toBe(true)
        }
      }
    }
  })
})

it('tables line up', () => {
  expect(
    table([
      ['a', 'bb'],
      ['ccc', 'd'],
    ]),
  ).toBe('a    bb\nccc  d')
})
