/**
 * Fields of case folders as people write them by hand for the first time: names that stand for values, included files, directives,
 * patterns.
 */
import { describe, expect, it } from 'vitest'
import { openFolder } from '../../../core/formats'
import type { OpenCase } from '../../../core/formats/Format'
import { filesOfTimes, movesOf, timesOf } from '../../../core/formats/openFoam/times'
import { partSize } from '../../../core/check/partFigures'
import { readCase } from '../../../core/store/memoryCase'
import { MemoryFolder } from '../../support/vtkFiles'
import { foamCase } from '../../support/writers/foam'
import { boxModel } from '../../support/writers/model'

const HEAD = 'FoamFile { version 2.0; format ascii; class volVectorField; object U; }\n'
const model = boxModel()

function opened(U: string, others: Record<string, string> = {}): Promise<OpenCase> {
  const files: Record<string, Uint8Array> = { ...foamCase(model, { times: ['0'] }), '0/U': Buffer.from(HEAD + U) }
  for (const [name, text] of Object.entries(others)) files[name] = Buffer.from(text)
  return openFolder(new MemoryFolder(files), '')
}

async function firstOf(part: string, U: string, others?: Record<string, string>): Promise<number[]> {
  return [...(await (await opened(U, others)).values(part, 'U', 0)).values.subarray(0, 3)]
}

const start = 'dimensions [0 1 -1 0 0 0 0];\n'

describe('what a name stands for', () => {
  it.each<[string, string, number[], number[]]>([
    [
      'an entry before',
      'Uin (10 0 0);\ninternalField uniform $Uin;\nboundaryField { Inlet { value uniform $Uin; } }',
      [10, 0, 0],
      [10, 0, 0],
    ],
    ['an entry in braces', 'Uin (1 2 3);\ninternalField uniform ${Uin};\nboundaryField { }', [1, 2, 3], [1, 2, 3]],
    ['a name that stands for another', 'a (4 5 6);\nb $a;\ninternalField uniform $:b;\nboundaryField { }', [4, 5, 6], [4, 5, 6]],
    ['the values inside', 'internalField uniform (7 8 9);\nboundaryField { Inlet { value $internalField; } }', [7, 8, 9], [7, 8, 9]],
    ['what values they are', 'all uniform (3 2 1);\ninternalField $all;\nboundaryField { Inlet { value $all; } }', [3, 2, 1], [3, 2, 1]],
  ])('%s', async (_, text, inside, inlet) => {
    expect(await firstOf('region', start + text)).toEqual(inside)
    expect(await firstOf('Inlet', start + text)).toEqual(inlet)
  })

  it('an entry of an included file, which may have no header and end early', async () => {
    const text =
      `#include "include/initial"\n${start}internalField uniform $flow;\nboundaryField { #includeEtc "constraints"\n` +
      ` Inlet { #include "x"\n value uniform (1 0 0); } }`
    const others = { '0/include/initial': '/* by hand */\nflow (20 0 0);\nopen { a' }
    expect(await firstOf('region', text, others)).toEqual([20, 0, 0])
    expect(await firstOf('Inlet', text, others)).toEqual([1, 0, 0])
  })

  it.each([
    [
      'nothing',
      'internalField uniform $none;\nboundaryField { }',
      /0\/U: “\$none” at byte \d+ stands for nothing in it or in what it includes/,
    ],
    ['itself', 'a $b;\nb $a;\ninternalField uniform $a;\nboundaryField { }', /0\/U: a name with “\$” stands for itself/],
  ])('%s is said', async (_, text, message) => {
    await expect(firstOf('region', start + text)).rejects.toThrow(message)
  })
})

it('directives end with what they name, dictionaries are taken over without a semicolon', async () => {
  const text =
    `#inputMode merge\n${start}internalField uniform (1 1 1);\nkind { type fixed; }\nboundaryField\n{\n    $kind\n` +
    `    Walls { $kind; value uniform (2 0 0); }\n    Inlet { $Walls }\n}\n#remove "kind.*"\n#codeStream { code #{ x #}; }\n`
  expect(await firstOf('Walls', text)).toEqual([2, 0, 0])
  expect(await firstOf('Inlet', text)).toEqual([1, 1, 1])
})

it.each<[string, number[]]>([
  ['type noSlip;', [0, 0, 0]],
  ['type slip;', [0, 2, 3]],
  ['type symmetryPlane;', [0, 2, 3]],
  ['type zeroGradient;', [1, 2, 3]],
  ['type noSlip; value uniform (4 5 6);', [4, 5, 6]],
])('what a condition implies at a patch across x where it has no value: %s', async (condition, value) => {
  expect(await firstOf('Inlet', `${start}internalField uniform (1 2 3);\nboundaryField { "In.*" { ${condition} } }`)).toEqual(value)
  const listed = `internalField nonuniform List<vector> 24(${'(1 2 3)'.repeat(24)});`
  expect(await firstOf('Inlet', `${start}${listed}\nboundaryField { Inlet { ${condition} } }`)).toEqual(value)
  // the numbers inside are not changed
  expect(await firstOf('region', `${start}${listed}\nboundaryField { Inlet { ${condition} } }`)).toEqual([1, 2, 3])
})

describe('where the mesh goes on behind a patch', () => {
  const files = foamCase(model, { times: ['0'] })
  const path = 'constant/polyMesh/boundary'
  const joined = (transform: string): string => {
    const text = Buffer.from(files[path]!).toString()
    return text.replace(/(Inlet\s*\{\s*)type patch;/, `$1type cyclic; neighbourPatch Outlet; transform ${transform};`)
  }
  // the cells behind the outlet are the last of four in a row
  const numbers = model.cells.map((_, c) => `(${c % 4} 1 0)`).join(' ')
  const U = `${start}internalField nonuniform List<vector> 24(${numbers});\nboundaryField { Inlet { type cyclic; } }`

  it.each([
    ['unknown', [1.5, 1, 0]],
    ['rotational', [0, 1, 0]],
  ])('values are half way between both cells, unless directions turn: %s', async (transform, value) => {
    expect(await firstOf('Inlet', U, { [path]: joined(transform as string) })).toEqual(value)
  })
})

it('on the sides of a wedge vectors are turned about its axis', async () => {
  // the inlet, across x, leans by 30° about y
  const lean = Math.tan(Math.PI / 6)
  const tilted = { ...model, points: model.points.map(([x, y, z]): [number, number, number] => [x + lean * z, y, z]) }
  const files: Record<string, Uint8Array> = {
    ...foamCase(tilted, { times: ['0'] }),
    '0/U': Buffer.from(`${HEAD}${start}internalField uniform (0 2 4);\nboundaryField { Inlet { type wedge; } }`),
  }
  const { values } = await (await openFolder(new MemoryFolder(files), '')).values('Inlet', 'U', 0)
  // what lay in the plane across x lies in that of the inlet
  for (const [i, x] of [4 * Math.sin(Math.PI / 6), 2, 4 * Math.cos(Math.PI / 6)].entries()) expect(values[i]).toBeCloseTo(x, 12)
})

it('patterns of patches: the name itself comes first, then the last one that fits', async () => {
  const text =
    `${start}internalField uniform (0 0 0);\nboundaryField { ".*" { value uniform (1 0 0); } "(Inlet|Outlet)" { value ` +
    `uniform (2 0 0); } Inlet { value uniform (3 0 0); } "(" { value uniform (4 0 0); } }`
  expect(await firstOf('Walls', text)).toEqual([1, 0, 0])
  expect(await firstOf('Outlet', text)).toEqual([2, 0, 0])
  expect(await firstOf('Inlet', text)).toEqual([3, 0, 0])
})

it.each(['(.|.)*', '(I|n|l|e|t)+', '.*'.repeat(20)])(
  'the pattern “%s”, which could be tried for ever on a long name, is taken for one',
  async (pattern) => {
    const text = `${start}internalField uniform (0 0 0);\nboundaryField { "${pattern}" { value uniform (2 0 0); } }`
    expect(await firstOf('Inlet', text)).toEqual([0, 0, 0])
  },
)

it('a list of patches without their number', async () => {
  const files = foamCase(model)
  const path = 'constant/polyMesh/boundary'
  const text = Buffer.from(files[path]!).toString()
  const changed = text.replace(/\n\d+\s*\(/, '\n(')
  expect(changed).not.toBe(text)
  const names = async (boundary: string): Promise<string[]> =>
    (await openFolder(new MemoryFolder({ ...files, [path]: Buffer.from(boundary) }), '')).catalogue.parts.map((p) => p.name)
  expect(await names(changed)).toEqual(await names(text))
  await expect(names(changed.slice(0, changed.lastIndexOf(')')))).rejects.toThrow(/it is cut off/)
})

describe('times, by the names of files', () => {
  const names = new Set([
    '0/T',
    '10/T',
    '2/T.gz',
    '2/polyMesh/points.gz',
    '1e-3/T',
    '2/air/T',
    '2/uniform/time',
    'constant/polyMesh/points',
    '0.orig/T',
    'processor0/5/T',
    'log',
    '10/phi',
  ])

  it('are those of one processor, in their order', () => {
    expect(timesOf(names, '')).toEqual(['0', '1e-3', '2', '10'])
    expect(timesOf(names, 'processor0/')).toEqual(['5'])
  })

  it('have fields and meshes of their own', () => {
    const times = timesOf(names, '')
    expect([...filesOfTimes(names, '', times, '')]).toEqual([
      ['T', [0, 1, 2, 3]],
      ['phi', [3]],
    ])
    expect([...filesOfTimes(names, '', times, 'air/')]).toEqual([['T', [2]]])
    expect(movesOf(names, '', times, '')).toEqual([undefined, undefined, '2', '2'])
  })
})

it.each([
  ['as its header states', (text: string) => text],
  ['counted from its faces', (text: string) => text.replace(/note ".*?";/, '')],
])('a last cell that owns none of its faces is a cell, %s', async (_, change) => {
  // a cube within a cube, its number behind those of the six cells around it
  const outer = boxModel().points.slice(0, 0)
  for (const s of [2, 1])
    for (const [x, y, z] of [
      [-1, -1, -1],
      [1, -1, -1],
      [1, 1, -1],
      [-1, 1, -1],
      [-1, -1, 1],
      [1, -1, 1],
      [1, 1, 1],
      [-1, 1, 1],
    ] as const)
      outer.push([s * x, s * y, s * z])
  const quads = [
    [0, 3, 2, 1],
    [4, 5, 6, 7],
    [0, 1, 5, 4],
    [1, 2, 6, 5],
    [2, 3, 7, 6],
    [3, 0, 4, 7],
  ]
  const cells = quads.map((quad) => [...quad.map((p) => p + 8).reverse(), ...[...quad].reverse()])
  const nested = {
    ...boxModel(),
    points: outer,
    cells: [...cells, [8, 9, 10, 11, 12, 13, 14, 15]],
    patches: [{ name: 'Walls', faces: quads }],
  }
  const files = foamCase({ ...nested, pressure: Array(7).fill(1), stress: outer.map(() => [0, 0, 0, 0, 0, 0]) }, { times: ['0'] })
  const owner = 'constant/polyMesh/owner'
  files[owner] = Buffer.from(change(Buffer.from(files[owner]!).toString()))
  const data = await readCase(await openFolder(new MemoryFolder(files), ''), 0)
  expect(partSize(data.part('region'))).toMatchObject({ size: expect.closeTo(64, 12) as number, skinFaces: 6 })
  expect(data.catalogue.parts[0]!.cells).toBe(7)
})

it('a mesh that was written anew at a time counts from then on, with the patches that it brings', async () => {
  const files = foamCase(model, { times: ['1', '2'] })
  const finer = foamCase(
    { ...model, patches: [...model.patches.slice(0, -1), { ...model.patches[model.patches.length - 1]!, name: 'Hull' }] },
    { times: [] },
  )
  for (const [name, bytes] of Object.entries(finer)) files[name.replace('constant', '2')] = bytes
  const late = await openFolder(new MemoryFolder(files), '')
  expect(late.catalogue.parts.map((p) => p.name)).toEqual(['region', 'Inlet', 'Outlet', 'Walls', 'Hull'])
  // as a mesh generator leaves it: nothing but a coarse beginning and what was made of it
  const [last] = model.cells.slice(-1)
  const coarse = foamCase({ ...model, cells: [last!], patches: [] }, { times: [] })
  const made = await openFolder(
    new MemoryFolder({
      ...coarse,
      ...Object.fromEntries(Object.entries(foamCase(model, { times: [] })).map(([name, bytes]) => [name.replace('constant', '1'), bytes])),
    }),
    '',
  )
  expect(made.catalogue.parts[0]!.cells).toBe(model.cells.length)
  expect((await made.mesh('Inlet', 0)).types.length).toBe(6)
})
