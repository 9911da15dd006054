/** The data check as the server runs it: in the background, kept, and with its guesses. */
import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest'
import { UserError } from '../../../core/errors'
import type { Catalogue } from '../../../core/case/catalogue'
import { CaseChecks } from '../../../server/cases/CaseChecks'
import type { CheckSubject } from '../../../core/check/checkSubject'
import type { CaseStore } from '../../../server/cases/CaseStore'
import type { CurrentCase, Evaluations } from '../../../server/evaluate/Evaluations'
import { DiskScratch } from '../../../server/cases/scratchFile'
import { ImportJob, inWords } from '../../../server/cases/ImportJob'
import type { ImportNews, ImportTask } from '../../../server/cases/messages'
import { grownSeries } from '../../../server/cases/sources'

let root: string
beforeAll(async () => void (root = await mkdtemp(join(tmpdir(), 'stavik-checks-'))))
afterAll(() => rm(root, { recursive: true, force: true }))

const figures = { min: 280, mean: 285, max: 290, minAt: null, maxAt: null, notANumber: 0, infinite: 0, componentRanges: [], spread: [] }
const flows: Record<string, { flux: number; area: number; speed: number }> = {
  Left: { flux: -2, area: 1, speed: 2 },
  Right: { flux: 2, area: 1, speed: 2 },
  Shell: { flux: 0, area: 9, speed: 0 },
}

function stored(id: string): CurrentCase {
  const part = (name: string, dimension: number): Catalogue['parts'][number] => ({
    name,
    dimension,
    cells: 1,
    points: 8,
    cellTypes: {},
    bounds: [0, 0, 0, 1, 1, 1],
  })
  const parts = [part('Left', 2), part('Right', 2), part('Shell', 2), part('Box', 3)]
  const field = (name: string, components: number): Catalogue['fields'][number] => ({
    name,
    components,
    place: 'point',
    kind: 'scalar',
    numberType: 'Float64',
    unit: null,
    parts: parts.map((p) => p.name),
    moments: [0],
  })
  const catalogue: Catalogue = {
    format: 'test',
    lengthUnit: 'm',
    lengthUnitFrom: 'file',
    timeUnit: 's',
    parts,
    sets: [],
    interfaces: [],
    fields: [field('T', 1), field('U', 3), field('thing', 1)],
    moments: [],
    cautions: [],
  }
  return { id, generation: 'first', key: id, source: { folder: '', files: [] }, catalogue }
}

/** Evaluations that answer at once and keep a list of what was asked. */
function checksOf(
  answer: (subject: CheckSubject) => unknown = (s) => (s.look === 'flow' ? flows[s.part] : figures),
  busy: () => boolean = () => false,
) {
  const asked: string[] = []
  const evaluations = {
    get isBusy() {
      return busy()
    },
    check: async (of: CurrentCase, subject: CheckSubject) => {
      asked.push(`${of.id} ${subject.look} ${subject.part}${'field' in subject ? ` ${subject.field}` : ''}`)
      await new Promise((resolve) => setTimeout(resolve, 1))
      return answer(subject)
    },
  }
  const store = { folder: (id: string) => join(root, id) }
  return { asked, checks: new CaseChecks(store as unknown as CaseStore, evaluations as unknown as Evaluations) }
}

describe('looking at a case', () => {
  it('begins with the regions and guesses units and roles from what it saw', async () => {
    await mkdir(join(root, 'a'))
    const { asked, checks } = checksOf()
    const guess = await checks.lookAtAll(stored('a'))
    expect(asked[0]).toBe('a part Box')
    expect(asked).toContain('a flow Left U')
    expect(asked).not.toContain('a flow Box U')
    const { fields, parts } = guess(stored('a').catalogue)
    expect(fields.map((f) => [f.name, f.unit, f.unitFrom])).toEqual([
      ['T', 'K', 'guess'],
      ['U', 'm/s', 'guess'],
      ['thing', null, undefined],
    ])
    expect(parts.map((p) => p.role?.is)).toEqual(['inlet', 'outlet', 'wall', undefined])
  })

  it('keeps its figures, leaves what the user said, and is not stopped by what cannot be computed', async () => {
    const { asked, checks } = checksOf((s) => {
      if ('field' in s && s.field === 'T') throw new UserError('odd', 'It cannot be.')
      return s.look === 'flow' ? flows[s.part] : figures
    })
    const again = await checks.lookAtAll(stored('a'))
    expect(asked).toEqual([])
    const said = stored('a').catalogue
    said.fields[0] = { ...said.fields[0]!, unit: '°C', unitFrom: 'user' }
    said.parts[0] = { ...said.parts[0]!, role: { is: 'other', from: 'user' } }
    expect(again(said).fields[0]).toMatchObject({ unit: '°C', unitFrom: 'user' })
    expect(again(said).parts[0]!.role!.is).toBe('other')
    await mkdir(join(root, 'b'))
    expect((await checks.lookAtAll(stored('b')))(stored('b').catalogue).fields.map((f) => f.unit)).toEqual([null, 'm/s', null])
    expect((await readdir(join(root, 'b'))).every((name) => /^check-[0-9a-f]{40}\.json$/.test(name))).toBe(true)
  })

  it('goes on with the latest case first, one thing at a time, and waits for people', async () => {
    for (const id of ['old', 'new']) await mkdir(join(root, id))
    let waits = 2
    const { asked, checks } = checksOf(undefined, () => waits-- > 0)
    const runs = [checks.lookAtAll(stored('old')), checks.lookAtAll(stored('new'))]
    await Promise.all(runs)
    const firstNew = asked.findIndex((a) => a.startsWith('new'))
    const lastNew = asked.map((a) => a.startsWith('new')).lastIndexOf(true)
    expect(firstNew).toBe(1)
    expect(asked.slice(firstNew, lastNew + 1).every((a) => a.startsWith('new'))).toBe(true)
    expect(waits).toBeLessThan(0)
  })
})

describe('scratch and reserve', () => {
  test('a scratch file gives back what was written where, and is gone afterwards', async () => {
    const path = join(root, 'scratch')
    const file = new DiskScratch(path)
    expect([file.append(Uint8Array.of(1, 2, 3)), file.append(Uint8Array.of(4))]).toEqual([0, 3])
    file.write(1, Uint8Array.of(9))
    const back = new Uint8Array(4)
    file.read(0, back)
    expect([...back]).toEqual([1, 9, 3, 4])
    expect(() => file.read(2, new Uint8Array(4))).toThrow(/became shorter/)
    file.close()
    expect((await readdir(root)).includes('scratch')).toBe(false)
  })

  test('the need of disk is said before anything is written, and refused when it is not there', async () => {
    const said: ImportNews[] = []
    const task = {
      store: root,
      signal: new SharedArrayBuffer(8),
      port: { postMessage: (news: ImportNews) => said.push(news) },
    } as unknown as ImportTask
    await new ImportJob(task).reserve(5 * 2 ** 20)
    expect(said).toEqual([{ news: 'progress', share: 0, what: 'storing it takes about 5 MiB of disk' }])
    await expect(new ImportJob(task).reserve(2 ** 60)).rejects.toThrow(/takes about 1073741824\.0 GiB of disk, but only .* are free/)
  })

  test.each([
    [1, '1 MiB'],
    [300 * 2 ** 20, '300 MiB'],
    [1.5 * 2 ** 30, '1.5 GiB'],
  ])('%d bytes are %s', (bytes, words) => expect(inWords(bytes)).toBe(words))
})

test.each([
  ['a series that has grown', ['run/t_1.vtu', 'run/t_2.vtu'], ['run/t_1.vtu', 'run/t_2.vtu', 'run/t_10.vtu']],
  ['a file by itself', ['run/alone.vtu'], ['run/alone.vtu']],
  ['one of several of its kind, brought in alone', ['run/t_1.vtu'], ['run/t_1.vtu']],
  ['a folder', ['run/'], ['run/']],
])('%s', async (_, files, found) => {
  await mkdir(join(root, 'data', 'run'), { recursive: true })
  for (const name of ['t_1', 't_2', 't_10', 'alone']) await writeFile(join(root, 'data', 'run', `${name}.vtu`), '')
  expect(await grownSeries({ folder: join(root, 'data'), files })).toEqual(found)
})
