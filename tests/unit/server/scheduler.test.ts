/** What is computed for whom: each thing once, only what is wanted, and nothing left behind by cancels, full memory and ended threads. */
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { writeVtk } from '../../../core/formats/write/vtkXml'
import type { ReadAnswer, ValuesAnswer } from '../../../core/evaluate/answers'
import { completed, hadAfter, wordsOf } from '../../../core/evaluate/chunks'
import type { HadPicture } from '../../../core/evaluate/chunks'
import type { Plan, Target } from '../../../core/evaluate/plan'
import { CaseStore } from '../../../server/cases/CaseStore'
import { Evaluations } from '../../../server/evaluate/Evaluations'
import type { CurrentCase } from '../../../server/evaluate/Evaluations'
import type { ComputedEvent } from '../../../server/evaluate/messages'
import type { Threads } from '../../../server/evaluate/Threads'
import { ask, askAll, outcome, picture, planOfCase } from '../../support/asking'
import { startWorkers } from '../../support/bundles'
import type { Workers } from '../../support/bundles'
import { atPoints, boxMesh } from '../../support/meshes'

const CASE = '44444444-4444-4444-8444-444444444444'
let folder: string
let workers: Workers
let store: CaseStore
let threads: Threads
let evaluations: Evaluations
let stored: CurrentCase
let computed: ComputedEvent[] = []

function start(options: Parameters<Workers['threads']>[1] = {}): void {
  threads = workers.threads(join(folder, 'store'), options)
  threads.onComputed = (event) => void computed.push(event)
  evaluations = new Evaluations(threads, store)
}

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'stavik-scheduler-'))
  workers = await startWorkers('stavik-scheduler')
  const mesh = boxMesh({ n: 48 })
  // four moments of one mesh
  for (const t of [1, 2, 3, 4]) {
    const fields = [
      { name: 'T', place: 'point' as const, components: 1, values: atPoints(mesh, (x, y, z) => 280 + t * (x + y + z)), unit: 'K' },
      { name: 'U', place: 'point' as const, components: 3, values: atPoints(mesh, (x, y) => [0.5 - y, x - 0.5, 0.1]), unit: 'm/s' },
    ]
    await writeFile(join(folder, `box_${t}.vtu`), Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm' })))
  }
  store = new CaseStore(join(folder, 'store'), workers, { import: 2 ** 30, reading: 2 ** 28, disk: 2 ** 34 })
  const source = { folder, files: [1, 2, 3, 4].map((t) => `box_${t}.vtu`) }
  const catalogue = await store.start(CASE, 'first', source, () => undefined).done
  stored = { id: CASE, generation: 'first', key: 'one', source, catalogue }
  start()
}, 60_000)

afterAll(async () => {
  await workers.close()
  await rm(folder, { recursive: true, force: true })
})
beforeEach(() => void (computed = []))

const water = [{ part: 'region' }]
const slice = (z: number): Plan['steps'][string] => ({
  kind: 'slice',
  inputs: { of: water },
  settings: { origin: [0, 0, z], normal: [0, 0, 1] },
})
const trace = (seeds: string, count: number, length = 0.3): Plan['steps'][string] => ({
  kind: 'trace',
  inputs: { of: water, seeds: [{ step: seeds }] },
  settings: { variable: 'U', count, direction: 'downstream', length, tolerance: 1e-6 },
})

/** Six steps, each made from the one before: a slice, its level line, three times lines from lines, and a curve along them. */
const chain = (middle = 6): Plan['steps'] => ({
  a: slice(0.4),
  b: { kind: 'isosurface', inputs: { of: [{ step: 'a' }] }, settings: { variable: 'T', value: 281.5 } },
  c: trace('b', middle),
  d: trace('c', 5),
  e: trace('d', 4),
  f: { kind: 'plot', inputs: { along: [{ step: 'e' }], in: water }, settings: { variable: 'T', samples: 10 } },
})
const planned = (steps: Plan['steps']): Plan => planOfCase(stored, steps, { speed: 'mag(U)', warm: 'T * 0.001 + 1000 K' })
const shapes = ['a', 'b', 'c', 'd', 'e']
const all = (moment = 0, variables: string[] = []): Target[] => [
  ...shapes.map((step) => picture(step, variables, undefined, moment)),
  outcome('f', moment),
]
const counted = (): Record<string, number> => {
  const counts: Record<string, number> = {}
  for (const { what } of computed) counts[what] = (counts[what] ?? 0) + 1
  return counts
}
const settled = (): void => expect([threads.arena.pinned(), evaluations.isBusy]).toEqual([0, false])

describe('each thing is computed once', () => {
  it('a chain of six, and after a change in its middle the four that follow', async () => {
    await askAll(evaluations, stored, planned(chain()), all())
    expect(counted()).toEqual({ shape: 5, 'shape picture': 5, outcome: 1 })
    computed = []
    await askAll(evaluations, stored, planned(chain(7)), all())
    expect(counted()).toEqual({ shape: 3, 'shape picture': 3, outcome: 1 })
    computed = []
    await askAll(evaluations, stored, planned(chain(7)), all())
    expect(counted()).toEqual({})
    settled()
  })

  it('another colour takes values alone, another moment of the mesh as well', async () => {
    const plan = planned({ a: slice(0.45), s: { kind: 'show', inputs: { of: water }, settings: {} } })
    await askAll(evaluations, stored, plan, [picture('a', ['T']), picture('s', ['T'])])
    expect(counted()).toMatchObject({ shape: 1, part: 1, values: 2, 'values picture': 2, 'shape picture': 2 })
    computed = []
    await askAll(evaluations, stored, plan, [picture('a', ['speed']), picture('s', ['speed'])])
    expect(counted()).toEqual({ values: 2, 'values picture': 2 })
    computed = []
    await askAll(evaluations, stored, plan, [picture('a', ['T'], undefined, 1), picture('s', ['T'], undefined, 1)])
    expect(counted()).toEqual({ values: 2, 'values picture': 2 })
  })

  /** A clip at x, as one asks who has an answer already. */
  async function clippedAt(x: number, variables: string[], before?: HadPicture & { key: string }, more: object = {}) {
    const settings = { form: 'plane', side: 'inside', cells: 'cut', origin: [x, 0.5, 0.5], normal: [1, 0.2, 0], low: [0, 0, 0], ...more }
    const steps = { k: { kind: 'clip', inputs: { of: water }, settings: { high: [1, 1, 1], radius: 1, ...settings } } }
    const target = picture('k', variables, before?.key)
    const read = await ask(evaluations, stored, planned(steps), { ...target, ...(before && wordsOf(before)) } as Target)
    const whole = completed(read, before)
    return { read, whole, now: { key: read.answer.shape!.key, ...hadAfter(whole, before)! } }
  }

  it('of a clip that is dragged only blocks that it touches are sent again, and what is put together is the whole', async () => {
    const variables = ['T', 'U']
    let { now } = await clippedAt(0.35, variables)
    const sizes: number[] = []
    for (const x of [0.36, 0.2, 0.31]) {
      const next = await clippedAt(x, variables, now)
      const { whole } = await clippedAt(x, variables)
      expect(next.whole.shape).toEqual(whole.shape)
      expect(next.whole.values).toEqual(whole.values)
      expect(next.read.answer.values!.map((entry) => 'key' in entry && entry.key)).toEqual(
        whole.answer.values!.map((entry) => 'key' in entry && entry.key),
      )
      const bytes = ({ answer }: ReadAnswer): number => answer.shape!.bytes + (answer.values![0] as ValuesAnswer).bytes
      sizes.push(bytes(next.read) / bytes(whole))
      now = next.now
    }
    for (const size of sizes) expect(size).toBeLessThan(0.8)
  })

  it('and whole what the asker does not have: other values, large ones with small differences, another form', async () => {
    const { now } = await clippedAt(0.35, ['T'])
    const values = ({ values: all }: ReadAnswer) => [...all.values()].map(({ meta, arrays }) => [meta.was, arrays['values']!.length])
    const all = await clippedAt(0.3, ['U'])
    expect(values((await clippedAt(0.3, ['U'], now)).read)).toEqual(values(all.read))
    const warm = { ...(await clippedAt(0.35, ['warm'])).now }
    // counted from their middle, which moves with what is kept
    expect([...warm.values]).toEqual([])
    expect((await clippedAt(0.3, ['warm'], warm)).whole.values).toEqual((await clippedAt(0.3, ['warm'])).whole.values)
    const box = { form: 'box', low: [0, 0, 0], high: [1, 1, 0.4] }
    expect((await clippedAt(0.3, ['T'], now, box)).whole.shape).toEqual((await clippedAt(0.3, ['T'], undefined, box)).whole.shape)
    settled()
  })

  it('a unit that is put right computes only what depends on it', async () => {
    const steps = { a: slice(0.46), l: { kind: 'isosurface', inputs: { of: water }, settings: { variable: 'speed', value: 0.3 } } }
    const targets = [picture('a', ['T']), picture('l')]
    await askAll(evaluations, stored, planned(steps), targets)
    computed = []
    const fields = stored.catalogue.fields.map((field) => ({ ...field, unit: field.name === 'T' ? '°C' : 'mm/s' }))
    const changed = { ...stored, key: 'two', catalogue: { ...stored.catalogue, fields } }
    const [a, l] = await askAll(evaluations, changed, planned(steps), targets)
    // what stands in the file keeps its values under another unit; where speed is 0.3 m/s is elsewhere now
    expect(counted()).toEqual({ shape: 1, 'shape picture': 1 })
    expect(a!.answer.values).toMatchObject([{ unit: '°C' }])
    expect(l!.shape!.meta.nElements).toBe(0)
  })

  it('for two tabs that ask at once, and for a third that asks later', async () => {
    const plan = planned({
      a: slice(0.47),
      b: { kind: 'isosurface', inputs: { of: [{ step: 'a' }] }, settings: { variable: 'T', value: 281.4 } },
    })
    const targets = [picture('a', ['T']), picture('b', ['speed'])]
    await Promise.all(['tab 1', 'tab 2'].map((client) => askAll(evaluations, stored, plan, targets, { client })))
    await askAll(evaluations, stored, plan, targets, { client: 'tab 3' })
    expect(counted()).toEqual({ shape: 2, 'shape picture': 2, values: 2, 'values picture': 2 })
    expect(new Set(computed.map(({ key }) => key)).size).toBe(computed.length)
  })

  it('two moments and two places of one step in one request', async () => {
    const steps = { a: slice(0.48) }
    const frames = [
      { case: 'case', moment: 2 },
      { case: 'case', moment: 3 },
      { case: 'case', moment: 3, tokens: { 'a.origin': [0, 0, 0.2] } },
    ]
    const targets = frames.map((frame): Target => ({ want: 'picture', step: 'a', frame, variables: ['T'], priority: 0 }))
    const means = (await askAll(evaluations, stored, planned(steps), targets)).map((answer) => {
      const { meta, arrays } = answer!.values.get('T')!
      return [...arrays['values']!].reduce((sum, x) => sum + x, 0) / arrays['values']!.length + meta.reference
    })
    const [third, fourth, lower] = means as [number, number, number]
    expect(third).toBeCloseTo(280 + 3 * (1 + 0.48), 1)
    expect(fourth).toBeCloseTo(280 + 4 * (1 + 0.48), 1)
    expect(lower).toBeCloseTo(280 + 4 * (1 + 0.2), 1)
    expect(counted()).toMatchObject({ shape: 2, values: 3 })
  })
})

describe('what nobody wants any more', () => {
  const long = (count: number): Plan =>
    planned({
      r: { kind: 'line', inputs: {}, settings: { start: [0.6, 0.5, 0.5], end: [0.9, 0.5, 0.5] } },
      t: trace('r', count, 900),
      a: slice(0.3),
    })

  it('stops, while what a newer request wants as well goes on', async () => {
    const older = askAll(evaluations, stored, long(3000), [picture('t'), picture('a', ['T'])], { client: 'tab' })
    const newer = await askAll(evaluations, stored, long(3000), [picture('a', ['T'])], { client: 'tab' })
    expect(newer[0]!.values.get('T')!.meta.nonFinite).toBe(0)
    expect((await older)[0]).toBeUndefined()
    expect(computed.filter(({ what }) => what === 'values')).toHaveLength(1)
    await expect.poll(() => threads.idle).toBe(threads.size)
    settled()
  })

  it('twenty cancels a second leave nothing behind', async () => {
    for (let i = 0; i < 40; i++) {
      const gone = new AbortController()
      const asked = askAll(evaluations, stored, long(3000 + i), [picture('t'), picture('a', ['T'])], { signal: gone.signal })
      await new Promise((resolve) => setTimeout(resolve, 3 * (i % 12)))
      gone.abort()
      await asked
    }
    await expect.poll(() => threads.idle).toBe(threads.size)
    settled()
    expect((await ask(evaluations, stored, long(3), picture('a', ['speed']))).shape!.meta.kind).toBe('surface')
  })

  it('what is seen comes before what is looked ahead for', async () => {
    const steps = Object.fromEntries(Array.from({ length: 12 }, (_, i) => [`s${i}`, slice(0.1 + i / 100)]))
    const ahead = Object.keys(steps)
      .slice(0, 10)
      .map((step): Target => ({ ...picture(step), priority: 2 }) as Target)
    const order: number[] = []
    const targets = [...ahead, picture('s10'), picture('s11')]
    await Promise.all(
      targets.map(async (target, i) => {
        await ask(evaluations, stored, planned(steps), target)
        order.push(i)
      }),
    )
    expect(Math.max(order.indexOf(10), order.indexOf(11))).toBeLessThan(8)
  })
})

describe('when something goes wrong', () => {
  it('a thread that ends is replaced, and what it computed is computed again', async () => {
    const asked = ask(
      evaluations,
      stored,
      planned({ r: { kind: 'line', inputs: {}, settings: { start: [0.6, 0.5, 0.5], end: [0.9, 0.5, 0.5] } }, t: trace('r', 400, 20) }),
      picture('t'),
    )
    await expect.poll(() => threads.idle).toBeLessThan(threads.size)
    await threads.endOne()
    expect((await asked).shape!.meta.kind).toBe('lines')
    settled()
  })

  it('a full arena makes room by what was used longest ago', async () => {
    const names = Array.from({ length: 12 }, (_, i) => `s${i}`)
    const plan = planned(Object.fromEntries(names.map((name, i) => [name, slice(0.1 + i / 20)])))
    const targets = names.map((name) => picture(name, ['T', 'U']))
    const elements = async (): Promise<(number | undefined)[]> => {
      const answers = await askAll(evaluations, stored, plan, targets)
      return answers.map((answer) => answer!.shape?.meta.nElements)
    }
    start()
    const all = await elements()
    // blocks of the case alone are some 10 MiB, the slices another 14
    start({ arenaBytes: 20 * 2 ** 20 })
    expect(await elements()).toEqual(all)
    settled()
  })

  it('what a step waits with is not pushed out by what else it waits for', async () => {
    const names = Array.from({ length: 6 }, (_, i) => `k${i}`)
    const ball = (i: number): string => `pos.x * pos.x + pos.y * pos.y < ${0.3 + i / 10} 'm^2'`
    const steps = Object.fromEntries(
      names.map((name, i) => [name, { kind: 'keep', inputs: { of: water }, settings: { condition: ball(i), cells: 'cut' } }]),
    )
    const of = names.map((step) => ({ step }))
    start({ arenaBytes: 40 * 2 ** 20 })
    const plan = planned({ ...steps, o: { kind: 'outside', inputs: { of }, settings: { what: 'cut' } } })
    await ask(evaluations, stored, plan, picture('o'))
    expect(counted()).toMatchObject({ outside: names.length, shape: names.length + 1 })
    settled()
  })

  it('what does not fit into the arena at all ends in one sentence', async () => {
    start({ arenaBytes: 3 * 2 ** 20 })
    await expect(ask(evaluations, stored, planned({ a: slice(0.3) }), picture('a'))).rejects.toThrow(
      'does not fit into the memory that results may take; raise STAVIK_MEMORY',
    )
    settled()
  })

  it('a case that is taken away while it is evaluated fails in one sentence, or is read again', async () => {
    start()
    const asked = askAll(evaluations, stored, planned({ a: slice(0.52), b: slice(0.53) }), [
      picture('a', ['T'], undefined, 3),
      picture('b', ['T'], undefined, 2),
    ])
    await store.remove(CASE)
    for (const answer of await asked) expect(answer!.answer.error?.code).not.toBe('internal')
    settled()
  })
})
