import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { describeCase } from '../../../cli/info'
import { openFolder } from '../../../core/formats'
import { openNamed } from '../../../core/formats/series'
import { measureExpression } from '../../../core/measure/reductions'
import type { CaseData } from '../../../core/case/CaseData'
import { readCase } from '../../../core/store/memoryCase'
import { DiskFolder } from '../../../server/cases/files'
import { storeOpened } from '../../../server/cases/storeOpened'
import { wholeCase } from '../../../core/evaluate/keptCase'
import { evaluatorFor } from '../../support/evaluation'
import { MemoryFolder } from '../../support/vtkFiles'
import { foamCase } from '../../support/writers/foam'
import { medFile, writeHdf5 } from '../../support/writers/hdf5'
import { legacyFile } from '../../support/writers/legacy'
import { boxModel } from '../../support/writers/model'
import { exodusClassic } from '../../support/writers/netcdf'

const model = boxModel()
let root: string
let folder: DiskFolder
const path = (name: string): string => join(root, name)
const data = async (name: string, moment = 0) => readCase(await openNamed([name], folder), moment)
const measured = async (name: string, text: string, moment = 0) =>
  measureExpression(text, evaluatorFor(await data(name, moment), {}, {}, moment).data, ['region'])

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-places-'))
  folder = new DiskFolder(root)
})
afterEach(() => folder.close())
afterAll(() => rm(root, { recursive: true, force: true }))

describe('values on faces of case folders', () => {
  /** A flux of -3 and 3 through every face of inlet and outlet. */
  const patches = (value: (name: string) => string): string =>
    model.patches.map(({ name }) => `    ${name} { type calculated; ${value(name)} }\n`).join('')
  const header = (kind: string, dimensions: string): string =>
    `FoamFile\n{\n    format ascii;\n    class surface${kind}Field;\n}\ndimensions [${dimensions}];\n`

  beforeAll(async () => {
    const files: Record<string, Uint8Array | string> = foamCase(model)
    files['0.5/phi'] =
      `${header('Scalar', '0 3 -1 0 0 0 0')}internalField uniform 5;\nboundaryField\n{\n` +
      `${patches((name) => `value uniform ${{ Inlet: -3, Outlet: 3 }[name] ?? 0};`)}}\n`
    files['0.5/Uf'] =
      `${header('Vector', '0 1 -1 0 0 0 0')}internalField uniform (1 2 2);\nboundaryField\n{\n${patches(() => 'value uniform (1 2 2);')}}\n`
    for (const [name, bytes] of Object.entries(files)) {
      await mkdir(dirname(path(`run/${name}`)), { recursive: true })
      await writeFile(path(`run/${name}`), bytes)
    }
  })

  it('a flux is listed as one, on the patches', async () => {
    const { fields, cautions } = describeCase(await data('run/'))
    expect(fields.filter((f) => f.name === 'phi').map((f) => [f.region, f.place, f.unit, f.min])).toEqual([
      ['Inlet', 'face', 'm³/s', -3],
      ['Outlet', 'face', 'm³/s', 3],
      ['Walls', 'face', 'm³/s', 0],
    ])
    expect(fields.find((f) => f.name === 'Uf')).toMatchObject({ place: 'boundary face', on: 'cells', mean: 3 })
    expect(cautions).toContain(
      'Uf, phi live on faces: read on the patches and face zones, not on other faces inside; phi_net is what leaves each cell ' +
        'through all of its faces.',
    )
  })

  // the speed grows by 3 a second: so much more leaves a cell than comes in, times its volume
  it.each([
    {},
    { isBinary: true },
    { isZipped: true, isBinary: true, label: 64 as const },
    { processors: 2, isBinary: true },
    { processors: 2 },
  ])('inside a region: through face zones, each to its own side, and out of each cell: %o', async (variant) => {
    const opened = await openFolder(new MemoryFolder(foamCase(model, { ...variant, hasFluxes: true })), '')
    expect(opened.catalogue.parts.map((p) => [p.name, p.cells, p.role?.is]).slice(4)).toEqual([
      ['Middle', 6, 'other'],
      ['Back', 6, 'other'],
      ['Level', 12, 'other'],
    ])
    const evaluator = evaluatorFor(await readCase(opened, 0), {})
    const value = (text: string): number => measureExpression(text, evaluator.data, ['region']).value
    for (const [part, flux] of [
      ['Middle', 1.5],
      ['Back', -1.5],
      ['Level', 0],
      ['Outlet', 2.5],
      ['Inlet', -0.5],
    ])
      expect(value(`sum(phi, on = "${part}")`)).toBeCloseTo(flux as number, 12)
    for (const [part, area] of [
      ['Middle', 0.5],
      ['Back', 0.5],
      ['Level', 2],
    ])
      expect(value(`integral(1, on = "${part}")`)).toBeCloseTo(area as number, 12)
    for (const end of ['min', 'max']) expect(value(`${end}(phi_net)`)).toBeCloseTo(3 / 24, 12)
    const through = evaluatorFor(await readCase(opened, 0), {
      m: { kind: 'measure', settings: { quantity: 'flux', variable: 'phi' }, inputs: { of: [{ part: 'Middle' }] } },
    }).reading('m')
    expect(through.madeOf).toEqual(['sum of phi as stored on 6 faces', 'positive along the normals of Middle'])
    const window = await opened.valuesWindow!('region', 'phi_net', 0, 7, 20)
    expect([...window!].map((x) => x.toFixed(12))).toEqual(Array(13).fill((3 / 24).toFixed(12)))
  })

  const withZones = (from: RegExp, to: string) => {
    const files = foamCase(model, { hasFluxes: true })
    const zones = 'constant/polyMesh/faceZones'
    files[zones] = Buffer.from(Buffer.from(files[zones]!).toString().replace(from, to))
    return openFolder(new MemoryFolder(files), '')
  }

  it.each<[string, RegExp, string, RegExp]>([
    [
      'sides for other faces',
      /flipMap List<bool> 6\(0/,
      'flipMap List<bool> 5(',
      /^Face zones are left out\. .*the zone Middle has 6 faces and 5 sides/,
    ],
    ['no end', /\}\n\)\n$/, '', /^Face zones are left out\. .*faceZones: it is cut off/],
  ])('face zones with %s are left out and said to be', async (_, from, to, message) => {
    const { catalogue } = await withZones(from, to)
    expect(catalogue.cautions.some((caution) => message.test(caution))).toBe(true)
    expect(catalogue.parts.map((p) => p.name)).toEqual(['region', 'Inlet', 'Outlet', 'Walls'])
  })

  it('a face zone without sides has those of its faces; one with faces that are not there is refused', async () => {
    const plain = await readCase(await withZones(/flipMap List<bool> 6\([01 ]*\);/, ''), 0)
    expect(measureExpression('sum(phi, on = "Middle")', evaluatorFor(plain, {}).data, ['region']).value).toBeCloseTo(1.5, 12)
    const stray = await withZones(/faceLabels List<label> 6\n\(\n\d+/, 'faceLabels List<label> 6\n(\n777')
    await expect(stray.mesh('Middle', 0)).rejects.toThrow(/a face zone names face 777, but there are only 98/)
  })

  it('values that do not fit the faces inside are refused when they are asked for', async () => {
    const files = foamCase(model, { hasFluxes: true })
    files['0.5/phi'] = Buffer.from(
      Buffer.from(files['0.5/phi']!)
        .toString()
        .replace(/46\n\(\n[^\n]*\n/, '45\n(\n'),
    )
    const opened = await openFolder(new MemoryFolder(files), '')
    for (const [part, field] of [
      ['Middle', 'phi'],
      ['region', 'phi_net'],
    ] as const)
      await expect(opened.values(part, field, 0)).rejects.toThrow('0.5/phi has 45 values for 46 faces between two cells')
    expect((await opened.values('Inlet', 'phi', 0)).values.length).toBe(6)
  })

  it('is summed over faces, never weighted by area', async () => {
    const nFaces = model.patches.find((p) => p.name === 'Outlet')!.faces.length
    expect(nFaces).toBeGreaterThan(1)
    expect(await measured('run/', 'sum(phi, on = "Outlet")')).toEqual({ value: 3 * nFaces, unit: 'm³/s', nonFinite: 0 })
    expect((await measured('run/', 'sum(phi, on = "Outlet") + sum(phi, on = "Inlet")')).value).toBe(0)
    expect((await measured('run/', 'sum(T)')).unit).toBe('K')
  })

  it('the step Measure takes it as the flux, out of the region', async () => {
    const box = await data('run/')
    const reading = evaluatorFor(box, {
      m: {
        kind: 'measure',
        settings: { quantity: 'flux', variable: 'phi' },
        inputs: { of: [{ part: 'Inlet' }], 'out of': [{ part: 'region' }] },
      },
    }).reading('m')
    const nFaces = model.patches.find((p) => p.name === 'Inlet')!.faces.length
    expect(reading).toMatchObject({ value: -3 * nFaces, unit: 'm³/s', cautions: [] })
    expect(reading.madeOf).toEqual([`sum of phi as stored on ${nFaces} faces`, 'positive out of region'])
    const mass = evaluatorFor(box, {
      m: { kind: 'measure', settings: { quantity: 'mass flow', variable: 'phi' }, inputs: { of: [{ part: 'Inlet' }] } },
    })
    expect(() => mass.reading('m')).toThrow('“phi” is in m³/s, which is no mass flow')
  })

  it('values on points are not summed', async () => {
    await writeFile(path('box.vtk'), legacyFile(model, { version: '3.0', isBinary: true }))
    await expect(measured('box.vtk', 'sum(U)')).rejects.toThrow('A sum over points would count the mesh')
  })
})

describe('numbers of the whole case', () => {
  it('of Exodus: one at every moment, in formulas and as readings', async () => {
    await writeFile(path('box.exo'), exodusClassic(model, 2, [0, 0.5]))
    const opened = await openNamed(['box.exo'], folder)
    expect(opened.catalogue.fields.filter((f) => f.place === 'whole case')).toMatchObject([
      { name: 'energy', parts: [], moments: [0, 1], values: [0, 5] },
      { name: 'load', values: [7, 7] },
    ])
    const second = await data('box.exo', 1)
    expect(describeCase(second, 1).fields.find((f) => f.name === 'energy')).toMatchObject({
      on: 'case',
      region: null,
      min: 5,
      max: 5,
      mean: 5,
    })
    const evaluator = evaluatorFor(second, {}, { ratio: 'temp / energy' }, 1)
    const ratio = measureExpression('mean(ratio) * energy', evaluator.data, ['Water']).value
    expect(ratio).toBeCloseTo(measureExpression('mean(temp)', evaluator.data, ['Water']).value, 10)
  })

  it('of the field data of VTK files, in series too, beside texts', async () => {
    const file = (load: number): string =>
      `<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian"><UnstructuredGrid>
      <FieldData><DataArray type="Float64" Name="load" NumberOfTuples="1" format="ascii">${load}</DataArray>` +
      `<DataArray type="Float64" Name="TimeValue" NumberOfTuples="1" format="ascii">${load / 10}</DataArray>` +
      `<DataArray type="Float64" Name="list" NumberOfTuples="2" format="ascii">1 2</DataArray></FieldData>
      <Piece NumberOfPoints="4" NumberOfCells="1"><Points><DataArray type="Float64" NumberOfComponents="3" format="ascii">` +
      `0 0 0 1 0 0 0 1 0 0 0 1</DataArray></Points>
      <Cells><DataArray type="Int32" Name="connectivity" format="ascii">0 1 2 3</DataArray>` +
      `<DataArray type="Int32" Name="offsets" format="ascii">4</DataArray><DataArray type="UInt8" Name="types" format="ascii">10` +
      `</DataArray></Cells></Piece></UnstructuredGrid></VTKFile>`
    for (const k of [1, 2, 3]) await writeFile(path(`s_${k}.vtu`), file(10 * k))
    const opened = await openNamed(['s_1.vtu', 's_2.vtu', 's_3.vtu'], folder)
    expect(opened.catalogue.moments.map((m) => m.value)).toEqual([1, 2, 3])
    expect(opened.catalogue.fields).toMatchObject([{ name: 'load', place: 'whole case', values: [10, 20, 30], moments: [0, 1, 2] }])

    const legacy = [
      '# vtk DataFile Version 5.1',
      'x',
      'ASCII',
      'DATASET UNSTRUCTURED_GRID',
      'FIELD FieldData 3',
      'note 1 1 string',
      'made%20up',
      'load 1 1 double',
      '12',
      'who 1 2 string',
      'a',
      'b c',
      'POINTS 4 double',
      '0 0 0 1 0 0 0 1 0 0 0 1',
      'CELLS 2 4',
      'OFFSETS vtktypeint64',
      '0 4',
      'CONNECTIVITY vtktypeint64',
      '0 1 2 3',
      'CELL_TYPES 1',
      '10',
    ].join('\n')
    await writeFile(path('field.vtk'), legacy)
    expect((await openNamed(['field.vtk'], folder)).catalogue.fields).toMatchObject([{ name: 'load', values: [12] }])
  })

  it('of XDMF grids; what lives on edges is named', async () => {
    const grid = (t: number): string =>
      `<Grid Name="g" GridType="Uniform"><Time Value="${t}"/><Topology TopologyType="Tetrahedron" NumberOfElements="1">` +
      `<DataItem Dimensions="1 4" Format="XML">0 1 2 3</DataItem></Topology>
      <Geometry GeometryType="XYZ"><DataItem Dimensions="4 3" Format="XML">0 0 0 1 0 0 0 1 0 0 0 1</DataItem></Geometry>
      <Attribute Name="load" Center="Grid"><DataItem Dimensions="1" Format="XML">${3 * t}</DataItem></Attribute>` +
      `<Attribute Name="e" Center="Edge"><DataItem Dimensions="1" Format="XML">1</DataItem></Attribute></Grid>`
    await writeFile(
      path('g.xdmf'),
      `<?xml version="1.0"?><Xdmf Version="3.0"><Domain><Grid GridType="Collection" CollectionType="Temporal">${grid(1)}${grid(2)}` +
        `</Grid></Domain></Xdmf>`,
    )
    const { fields, cautions } = (await openNamed(['g.xdmf'], folder)).catalogue
    expect(fields).toMatchObject([{ name: 'load', place: 'whole case', values: [3, 6] }])
    expect(cautions).toEqual(['e lives on edges, which is not read; it is left out.'])
  })

  it('a moment without a value says so', async () => {
    const exodus = await data('box.exo')
    const fields = exodus.catalogue.fields.map((field) => (field.values ? { ...field, values: [field.values[0]!, null] } : field))
    const shortened = { ...exodus, catalogue: { ...exodus.catalogue, fields } }
    expect(() =>
      measureExpression(
        'load',
        wholeCase(() => shortened, 1),
        ['Water'],
      ),
    ).toThrow('“load” has no value at this moment')
  })
})

describe('several values per cell of MED files', () => {
  const exact =
    (data: CaseData): ((text: string) => number) =>
    (text) =>
      measureExpression(text, evaluatorFor(data, {}).data, ['region']).value

  it('integration points come in as the mean of each cell', async () => {
    await writeHdf5(path('box.med'), medFile(model, [1]))
    const box = await data('box.med')
    const { fields, cautions } = describeCase(box)
    const own = (name: string) => fields.find((f) => f.name === name && f.region === 'region')
    expect([own('p')!.place, own('q')!.place, own('n')!.place]).toEqual(['cell', 'integration point', 'corner'])
    expect(cautions).toEqual([
      'g lives on integration points; cells of region show the mean of theirs, region integration points the values themselves.',
      'q lives on integration points; cells of region show the mean of theirs.',
    ])
    // where the file says where they are, they are points
    const points = 'region integration points'
    expect(describeCase(box).clouds).toMatchObject([{ name: points, points: 8 * model.cells.length }])
    const on = (text: string): number => measureExpression(text, evaluatorFor(box, {}).data, [points]).value
    expect([on('max(abs(g - pos.x))'), on('max(pos.z)')]).toEqual([0, 0.4375])
    // values 0 to 7 beyond the pressure
    expect(box.part('region').field('q', 0).values[0]! - box.part('region').field('p', 0).values[0]!).toBeCloseTo(3.5, 12)
    expect(box.part('region').field('q', 0).values[1]).toBeCloseTo(-3.5, 12)
  })

  it.each(['in memory', 'in the store'])('corners keep their jumps from cell to cell, %s', async (where) => {
    const opened = await openNamed(['box.med'], folder)
    const stored =
      where === 'in the store' ? await storeOpened(opened, await mkdtemp(join(root, 'store-')), 0, undefined, 2 ** 28) : undefined
    const measure = exact(stored?.data ?? (await data('box.med')))
    const last = 10 * (model.cells.length - 1)
    expect(measure('mean(n)')).toBeCloseTo(measure('mean(pos.x)') + last / 2, 10)
    // corners stand at points: what is left is one number for each cell
    expect([measure('min(n - pos.x)'), measure('max(n - pos.x)'), measure('min(n)'), measure('max(n)')]).toEqual([0, last, 0, last + 2])
    expect([measure('min(grad(n).x)'), measure('max(grad(n).x)')].map((x) => Math.round(x * 1e9) / 1e9)).toEqual([1, 1])
    stored?.close()
  })

  it('cell values smoothed to corners are the same for all at a point', async () => {
    const box = await data('box.med')
    const { values } = evaluatorFor(box, {}).blockValues('smooth(p)', box.part('region'), 0)
    const byPoint = new Map<number, Set<number>>()
    box
      .part('region')
      .block(0)
      .pointNumbers.forEach((number, p) => byPoint.set(number, (byPoint.get(number) ?? new Set()).add(values[p]!)))
    expect([...byPoint.values()].map((set) => set.size)).toEqual(model.points.map(() => 1))
    expect(values.every(Number.isFinite)).toBe(true)
  })

  it('a slice of values at corners shows each cell’s own', async () => {
    const evaluator = evaluatorFor(await data('box.med'), {
      cut: { kind: 'slice', settings: { normal: [1, 0, 0], origin: [0.7, 0, 0] }, inputs: { of: [{ part: 'region' }] } },
    })
    const shape = evaluator.shape('cut')
    const { values, place } = evaluator.values('n', shape)
    expect(place).toBe('point')
    const jumps = new Set(Array.from(values, (x) => Math.round((x - 0.7) * 1e9) / 1e10))
    // every cell that is cut, and nothing between them
    expect(jumps.size).toBe(model.cells.filter((cell) => Math.min(...cell.map((p) => model.points[p]![0])) === 0.5).length)
    expect([...jumps].every(Number.isInteger)).toBe(true)
  })
})

it('sides of a mesh of one layer have no fluxes', async () => {
  const files: Record<string, Uint8Array | string> = foamCase(model)
  const text = Buffer.from(files['constant/polyMesh/boundary']!).toString('latin1')
  const at = text.indexOf('Walls')
  files['constant/polyMesh/boundary'] = text.slice(0, at) + text.slice(at).replace(/type\s+\w+;/, 'type empty;')
  files['0.5/phi'] =
    'FoamFile\n{\n    format ascii;\n    class surfaceScalarField;\n}\ndimensions [0 3 -1 0 0 0 0];\ninternalField uniform 5;\n' +
    'boundaryField\n{\n    Inlet { type calculated; value uniform -3; }\n    Outlet { type calculated; value uniform 3; }\n' +
    '    Walls { type empty; value nonuniform List<scalar> 0(); }\n}\n'
  for (const [name, bytes] of Object.entries(files)) {
    await mkdir(dirname(path(`layer/${name}`)), { recursive: true })
    await writeFile(path(`layer/${name}`), bytes)
  }
  expect(
    describeCase(await data('layer/'))
      .fields.filter((f) => f.name === 'phi')
      .map((f) => f.region),
  ).toEqual(['Inlet', 'Outlet'])
})

describe('case folders with regions that were split off', () => {
  const write = async (name: string, bytes: Uint8Array | string): Promise<void> => {
    await mkdir(dirname(path(`split/${name}`)), { recursive: true })
    await writeFile(path(`split/${name}`), bytes)
  }

  it('leave the mesh out that they were split off from, unless it has fields', async () => {
    for (const [name, bytes] of Object.entries(foamCase(model))) {
      await write(name.replace(/^([^/]+)\//, '$1/water/'), bytes)
      if (name.startsWith('constant')) await write(name, bytes)
    }
    const { regions, cautions } = describeCase(await data('split/'))
    expect(regions.map((r) => r.name)).toEqual(['water'])
    expect(cautions).toContain('The mesh in constant/polyMesh has no results and is left out: the regions were split off from it.')
    await folder.close()
    // of several times it must have those of the last one
    const temperature = foamCase(model)[Object.keys(foamCase(model)).find((name) => /^[0-9.]+\/T/.test(name))!]!
    for (const [time, expected] of [
      ['0.5', ['region', 'water']],
      ['7', ['water']],
      ['7', ['region', 'water']],
    ] as const) {
      await write(expected.length === 1 ? `${time}/water/T` : `${time}/T`, temperature)
      expect(
        describeCase(await data('split/'))
          .regions.map((r) => r.name)
          .sort(),
      ).toEqual(expected)
      await folder.close()
    }
  })
})
