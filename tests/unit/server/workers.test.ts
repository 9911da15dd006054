import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { basename, dirname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Cancelled } from '../../../core/errors'
import { openNamed } from '../../../core/formats/series'
import { writeVtk } from '../../../core/formats/write/vtkXml'
import { DiskFolder } from '../../../server/cases/files'
import { decodePacket } from '../../../core/store/packet'
import type { LookMeta } from '../../../core/evaluate/pictures'
import type { Plan, Target } from '../../../core/evaluate/plan'
import { CaseStore } from '../../../server/cases/CaseStore'
import { lookInside } from '../../../server/cases/lookInside'
import { Evaluations } from '../../../server/evaluate/Evaluations'
import type { CurrentCase } from '../../../server/evaluate/Evaluations'
import type { Threads } from '../../../server/evaluate/Threads'
import { ask, askAll, frame, outcome, picture, planOfCase } from '../../support/asking'
import { startWorkers } from '../../support/bundles'
import type { Workers } from '../../support/bundles'
import { atPoints, boxMesh } from '../../support/meshes'

const CASE = '22222222-2222-4222-8222-222222222222'
let folder: string
let workers: Workers
let store: CaseStore
let evaluations: Evaluations
let threads: Threads
let stored: CurrentCase
const budget = { import: 2 ** 30, reading: 2 ** 28, disk: 2 ** 34 }

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'stavik-work-'))
  workers = await startWorkers('stavik-work')
  const mesh = boxMesh({ n: 16, kind: 'hexahedron' })
  const fields = [
    { name: 'T', place: 'point' as const, components: 1, values: atPoints(mesh, (x, y, z) => 101325 + x + y + z), unit: 'Pa' },
    { name: 'U', place: 'point' as const, components: 3, values: atPoints(mesh, (x, y) => [0.5 - y, x - 0.5, 0]), unit: 'm/s' },
  ]
  await writeFile(join(folder, 'box.vtu'), Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm' })))
  await writeFile(join(folder, 'bad.vtu'), '<VTKFile type="UnstructuredGrid"><UnstructuredGrid>')
  store = new CaseStore(join(folder, 'store'), workers, budget)
  threads = workers.threads(join(folder, 'store'))
  evaluations = new Evaluations(threads, store)
}, 60_000)

afterAll(async () => {
  await workers.close()
  await rm(folder, { recursive: true, force: true })
})

const source = (file: string) => ({ folder, files: [file] })
describe('import', () => {
  it('reports what it does and stores the case', async () => {
    const news: string[] = []
    const { done } = store.start(CASE, 'first', source('box.vtu'), (n) => news.push(n.news))
    const catalogue = await done
    stored = { id: CASE, generation: 'first', key: CASE, source: source('box.vtu'), catalogue }
    expect(catalogue.parts).toMatchObject([{ name: 'region', cells: 4096, bounds: [0, 0, 0, 1, 1, 1] }])
    expect(news[0]).toBe('catalogue')
    expect(news.filter((n) => n === 'look').length).toBe(2)
    expect(news.filter((n) => n === 'progress').length).toBeGreaterThan(1)
    const { meta, arrays } = decodePacket<LookMeta>(new Uint8Array(await store.file(CASE, 'first', 'first-look.packet')).buffer)
    expect(arrays['elements']!.length).toBe(3 * 2 * 6 * 256)
    expect(meta.values).toMatchObject({ name: 'T', place: 'point' })
    expect(arrays['values']!.length).toBe(arrays['points']!.length / 3)
  })

  it('a damaged file leaves nothing behind', async () => {
    await expect(store.start('bad', 'first', source('bad.vtu'), () => undefined).done).rejects.toThrow(/cut off/)
    await expect(store.file('bad', 'first', 'catalogue.json')).rejects.toThrow(/not been read so far/)
  })

  it('a cancelled one neither', async () => {
    const running = store.start('gone', 'first', source('box.vtu'), () => running.cancel())
    await expect(running.done).rejects.toBeInstanceOf(Cancelled)
    await expect(store.file('gone', 'first', 'first-look.packet')).rejects.toThrow(/not been read/)
  })

  it('one that needs more memory than it may use is refused with its need', async () => {
    const small = new CaseStore(join(folder, 'small'), workers, { ...budget, import: 1000 })
    await expect(small.start('big', 'first', source('box.vtu'), () => undefined).done).rejects.toThrow(
      /needs about 1 MiB of memory, more than the 1 MiB it may use/,
    )
  })
})

describe('looking inside before bringing in', () => {
  it('tells how the columns of a table are understood, and shows its first rows', async () => {
    const rows = Array.from({ length: 8 }, (_, i) => `${i},5;0;1;${20 + i},25;${i % 2 ? 'x' : 1};2;3`)
    await writeFile(join(folder, 'sensors.csv'), ['# made up', 'x [m];y;z;T [°C];v_x [m/s];v_y;v_z', ...rows].join('\r\n'))
    const { catalogue, preview } = await lookInside(store, source('sensors.csv'))
    expect([catalogue.lengthUnit, catalogue.parts[0]!.points]).toEqual(['m', 8])
    expect(catalogue.fields.map((f) => [f.name, f.components, f.unit])).toEqual([
      ['T', 1, '°C'],
      ['v', 3, 'm/s'],
    ])
    expect(catalogue.cautions).toEqual([
      '4 cells of the table hold no numbers: “x” in v_x, line 4; “x” in v_x, line 6; “x” in v_x, line 8, and 1 more.',
    ])
    expect(preview!.columns.map((c) => c.name)).toEqual(['x', 'y', 'z', 'T', 'v_x', 'v_y', 'v_z'])
    expect(preview!.rows.slice(0, 2)).toEqual([
      [0.5, 0, 1, 20.25, 1, 2, 3],
      [1.5, 0, 1, 21.25, null, 2, 3],
    ])
    expect(preview!.rows.length).toBe(5)
  })

  it('tells what is in other files, and what is wrong with them', async () => {
    const { catalogue, preview } = await lookInside(store, source('box.vtu'))
    expect([catalogue.parts[0]!.cells, preview]).toEqual([4096, null])
    await expect(lookInside(store, source('bad.vtu'))).rejects.toThrow(/cut off/)
  })
})

describe('export of a part', () => {
  it('is the part as it stands, with chosen fields and with what the user said of it', async () => {
    const described = { ...stored.catalogue, fields: stored.catalogue.fields.map((f) => ({ ...f, unit: f.name === 'T' ? 'kPa' : f.unit })) }
    const path = await store.exportPart({ ...stored, catalogue: described }, 'region', ['T'], 0, 'vtu')
    const files = new DiskFolder(dirname(path))
    try {
      const { catalogue } = await openNamed([basename(path)], files)
      expect(catalogue.parts).toMatchObject([{ cells: 4096, points: 17 ** 3 }])
      expect(catalogue.fields.map((f) => [f.name, f.unit])).toEqual([['T', 'kPa']])
    } finally {
      await files.close()
    }
    await expect(store.exportPart(stored, 'region', [], 0, 'vtp')).rejects.toThrow(/holds one surface/)
    await expect(store.exportPart(stored, 'gone', [], 0, 'vtu')).rejects.toThrow('The case has no part “gone”.')
    expect((await readdir(join(folder, 'store', CASE, 'first'))).filter((name) => name.startsWith('export-'))).toEqual([basename(path)])
  })

  it('one that is too large to be held is refused with its need', async () => {
    const small = new CaseStore(join(folder, 'store'), workers, { ...budget, import: 1000 })
    await expect(small.exportPart(stored, 'region', ['T'], 0, 'vtu')).rejects.toThrow(/takes about 1 MiB of memory, more than the 1 MiB/)
  })
})

const water = [{ part: 'region' }]
const slice = (z: number): Plan['steps'] => ({
  s: { kind: 'slice', inputs: { of: water }, settings: { origin: [0, 0, z], normal: [0, 0, 1] } },
})
const planned = (steps: Plan['steps']): Plan => planOfCase(stored, steps, { speed: 'mag(U)' })

describe('evaluation', () => {
  it('sends shape and values, and the values alone when the shape is there already', async () => {
    const first = await ask(evaluations, stored, planned(slice(0.4)), picture('s', ['speed']))
    expect(first.shape!.meta).toMatchObject({ kind: 'surface', parts: ['region'] })
    expect(first.answer.values).toMatchObject([{ name: 'speed', unit: 'm/s' }])
    expect(first.values.get('speed')!.meta).toMatchObject({ place: 'point', nonFinite: 0 })
    const again = await ask(evaluations, stored, planned(slice(0.4)), picture('s', ['T', 'speed'], first.answer.shape!.key))
    expect(again.shape).toBeUndefined()
    expect([...again.values.keys()]).toEqual(['T', 'speed'])
    expect(again.values.get('T')!.arrays['values']!.length).toBe(first.values.get('speed')!.arrays['values']!.length)
  })

  it('keeps the digits of a small difference on a large value', async () => {
    const { shape, values } = await ask(evaluations, stored, planned(slice(0.4)), picture('s', ['T']))
    const { meta, arrays } = values.get('T')!
    expect(meta.reference).toBeGreaterThan(101_000)
    const { origin } = shape!.meta
    const points = shape!.arrays['points'] as Float32Array
    arrays['values']!.forEach((value, i) => {
      const sum = [0, 1, 2].reduce((total, d) => total + points[3 * i + d]! + origin[d]!, 101325)
      expect(value + meta.reference).toBeCloseTo(sum, 5)
    })
  })

  it('vectors come as their magnitude, under the name that the study has for it, or as vectors', async () => {
    const plain = await ask(evaluations, stored, planned(slice(0.4)), picture('s', ['U']))
    expect(plain.answer.values).toMatchObject([{ variable: 'U', name: 'speed' }])
    expect(plain.values.get('U')!.meta.components).toBe(1)
    const whole = await ask(evaluations, stored, planned(slice(0.4)), { ...picture('s', ['U']), isWhole: true } as Target)
    expect(whole.answer.values).toMatchObject([{ variable: 'U', name: 'U' }])
    const { meta, arrays } = whole.values.get('U')!
    expect([meta.components, meta.reference, arrays['values']!.length]).toEqual([3, 0, whole.shape!.arrays['points']!.length])
  })

  it('readings, curves, ranges and probes come as data', async () => {
    const plan = planned({
      l: { kind: 'line', inputs: {}, settings: { start: [-0.5, 0.5, 0.5], end: [1, 0.5, 0.5] } },
      m: { kind: 'measure', inputs: { of: water }, settings: { quantity: 'size', variable: '' } },
      p: { kind: 'plot', inputs: { along: [{ step: 'l' }], in: water }, settings: { variable: 'T', samples: 4 } },
    })
    const json = async (target: Target): Promise<Record<string, unknown>> =>
      (await ask(evaluations, stored, plan, target)).answer.json as Record<string, unknown>
    expect(await json(outcome('m'))).toMatchObject({ unit: 'm³' })
    const curve = await json(outcome('p'))
    const { y } = (curve['series'] as { y: (number | null)[] }[])[0]!
    expect(y[0]).toBeNull()
    y.slice(1).forEach((value, i) => expect(value).toBeCloseTo(101326 + i / 2, 8))
    expect(await json({ want: 'range', frame: frame(), variable: 'T', priority: 0 })).toEqual({ min: 101325, max: 101328 })
    const probed = await json({ want: 'probe', frame: frame(), at: [0.25, 0.5, 0.5], parts: ['region'], priority: 0 })
    expect(probed).toMatchObject({ part: 'region', rows: [{ name: 'T', unit: 'Pa' }, { name: 'U' }, { name: 'speed', unit: 'm/s' }] })
    // linear fields are exact; a magnitude is interpolated between its values at the cell's points
    const [, velocity, speed] = probed['rows'] as { values: number[] }[]
    expect(velocity!.values[1]).toBeCloseTo(-0.25, 12)
    expect(speed!.values[0]).toBeCloseTo(0.25, 2)
  })

  it('a chain of steps takes the kept shape of its input', async () => {
    const steps = { ...slice(0.4), c: { kind: 'isosurface', inputs: { of: [{ step: 's' }] }, settings: { variable: 'speed', value: 0.3 } } }
    const { shape, values } = await ask(evaluations, stored, planned(steps), picture('c', ['speed']))
    expect(shape!.meta.kind).toBe('lines')
    const { meta, arrays } = values.get('speed')!
    for (const value of arrays['values']!) expect(value + meta.reference).toBeCloseTo(0.3, 6)
  })

  it('errors come back as they were thrown, and the others of the request are answered', async () => {
    const plan = planOfCase(stored, slice(0.1), { odd: 'mag(', speed: 'mag(U)' })
    const [odd, fine, gone] = await askAll(evaluations, stored, plan, [picture('s', ['odd']), picture('s', ['speed']), picture('nobody')])
    expect(odd!.answer.values).toMatchObject([{ error: { code: 'syntax' } }])
    expect(odd!.shape!.meta.kind).toBe('surface')
    expect(fine!.values.get('speed')!.meta.nonFinite).toBe(0)
    expect(gone!.answer.error).toMatchObject({ code: 'no-step' })
  })

  it('a newer request of a client takes the place of the older one', async () => {
    const plan = planned({
      ...slice(0.77),
      l: { kind: 'line', inputs: {}, settings: { start: [0.6, 0.5, 0.5], end: [0.9, 0.5, 0.5] } },
      t: {
        kind: 'trace',
        inputs: { of: water, seeds: [{ step: 'l' }] },
        settings: { variable: 'U', count: 2000, direction: 'both', length: 900, tolerance: 1e-9 },
      },
    })
    const older = askAll(evaluations, stored, plan, [picture('t')], { client: 'tab' })
    const newer = ask(evaluations, stored, plan, picture('s'), { client: 'tab' })
    expect((await newer).shape!.meta.kind).toBe('surface')
    expect(await older).toEqual([undefined])
    expect(threads.arena.pinned()).toBe(0)
  })
})

it('a removed case is gone with its blocks', async () => {
  await store.remove(CASE)
  await expect(store.file(CASE, 'first', 'first-look.packet')).rejects.toThrow(/not been read/)
})
