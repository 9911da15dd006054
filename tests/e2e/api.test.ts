import { execFileSync } from 'node:child_process'
import { createServer } from 'node:net'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, inject, it } from 'vitest'
import type { Plan } from '../../core/evaluate/plan'
import type { Study } from '../../core/study/studyModel'
import { askServer, plainPlanOf } from '../support/server'

const url = inject('url')
const data = inject('data')
const json = { 'content-type': 'application/json' }

async function call<T>(
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = json,
): Promise<{ status: number; body: T & { data?: { code: string; message: string } } }> {
  const response = await fetch(url + path, {
    method,
    headers,
    ...(body !== undefined && { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  })
  return { status: response.status, body: (await response.json().catch(() => ({}))) as never }
}

interface CaseRow {
  id: string
  name: string
  state: string
  failure: string | null
}
let cases: CaseRow[]
let studyId: string

beforeAll(async () => {
  cases = (await call<CaseRow[]>('GET', '/api/cases')).body
  studyId = (await call<{ id: string }>('POST', '/api/studies', { name: 'Tried', cases: [cases[0]!.id] })).body.id
})

const rename = (to: string, from: string) => ({
  patches: [{ op: 'replace', path: ['name'], value: to }],
  inverse: [{ op: 'replace', path: ['name'], value: from }],
  title: `Rename to ${to}`,
})
const edit = (change: object, author: string, base: number) =>
  call<{ number: number }>('POST', `/api/studies/${studyId}/edits`, { base, author, ...change })
const nameNow = async (): Promise<string> => (await call<{ document: Study }>('GET', `/api/studies/${studyId}`)).body.document.name

describe('edits of two people', () => {
  it('on other places are both kept, on the same place the later one is told', async () => {
    expect((await edit(rename('One', 'Tried'), 'ann.1', 0)).body.number).toBe(1)
    const elsewhere = {
      patches: [{ op: 'replace', path: ['steps', 'bounds', 'isShown'], value: false }],
      inverse: [{ op: 'replace', path: ['steps', 'bounds', 'isShown'], value: true }],
      title: 'Hide Bounds',
    }
    expect((await edit(elsewhere, 'bob.1', 0)).body.number).toBe(2)
    const clash = await edit(rename('Two', 'Tried'), 'bob.1', 0)
    expect(clash.status).toBe(409)
    expect(clash.body.data!.message).toMatch(/same place was changed elsewhere \(Rename to One\)/)
    expect(await nameNow()).toBe('One')
  })

  it('undo turns back one’s own, in any tab, and says when another changed the place since', async () => {
    await edit(rename('Three', 'One'), 'bob.1', 2)
    const refused = await call('POST', `/api/studies/${studyId}/undo`, { author: 'ann.1' })
    expect(refused.body.data!.message).toMatch(/“Rename to One” cannot be turned back: rename to three changed the same place/)
    await call('POST', `/api/studies/${studyId}/undo`, { author: 'bob.2' })
    expect(await nameNow()).toBe('One')
    await call('POST', `/api/studies/${studyId}/redo`, { author: 'bob.3' })
    expect(await nameNow()).toBe('Three')
  })
})

describe('requests that do not fit get one sentence, and nothing changes', () => {
  const slice = { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 1], normal: [0, 0, 1] } }
  const step = (kind: string, settings: object, inputs: object = slice.inputs) => ({ s: { kind, inputs, settings } })
  const trace = (change: object) => step('trace', { variable: 'U', count: 3, direction: 'both', length: 1, tolerance: 1e-6, ...change })

  it.each<[string, { steps?: object; formulas?: object; id?: string; step?: string; variables?: string[]; moment?: number }, RegExp]>([
    ['an unknown case', { id: '99999999-9999-4999-8999-999999999999' }, /no longer exists/],
    ['an unknown kind', { steps: step('teapot', {}) }, /no kind of step “teapot”; known are/],
    ['wrong settings', { steps: step('slice', { origin: 'here', normal: [0, 0, 1] }) }, /A step does not fit at origin/],
    ['a missing part', { steps: step('slice', slice.settings, { of: [{ part: 'Milk' }] }) }, /has no part for “\?”; bind one/],
    ['a missing step', { step: 'x' }, /input of this step was deleted/],
    ['no input', { steps: step('slice', slice.settings, { of: [] }) }, /Nothing is chosen for “of”/],
    ['steps in a circle', { steps: { s: { ...slice, inputs: { of: [{ step: 's' }] } } } }, /go in a circle/],
    ['an unknown variable', { variables: ['f'], formulas: { f: { name: 'f', text: 'zeal' } } }, /no field or formula “zeal”; known are/],
    ['a broken formula', { variables: ['f'], formulas: { f: { name: 'f', text: 'mag(U' } } }, /closing parenthesis|In “f”/],
    [
      'cell values for a line of one value',
      { steps: step('isosurface', { variable: 'p', value: 1 }, { of: [{ outer: 'Water' }] }) },
      /lives on cells/,
    ],
    ['a vector for an isosurface', { steps: step('isosurface', { variable: 'U', value: 1 }) }, /has 3 components/],
    ['a scalar to trace', { steps: trace({ variable: 'T' }) }, /is no vector/],
    ['too many seeds', { steps: trace({ count: 1e9 }) }, /must be <= 5000/],
    ['a moment that is not there', { moment: 77 }, /There is no moment 77; the case has 1/],
  ])(
    'a target with %s',
    async (_, { steps = { s: slice }, formulas = {}, id, step: wanted = 's', variables = [], moment = 0 }, message) => {
      const plan = { ...(await plainPlanOf(url, cases[0]!.id)), steps, formulas, ...(id && { cases: { case: id } }) } as Plan
      const frame = { case: 'case', moment }
      await expect(askServer(url, plan, { want: 'picture', step: wanted, frame, variables, priority: 0 })).rejects.toThrow(message)
    },
  )

  const file = async (change: object) => {
    const target = {
      want: 'file',
      step: 's',
      frame: { case: 'case', moment: 0 },
      format: 'csv',
      variables: [],
      name: 'x',
      priority: 0,
      ...change,
    }
    return {
      plan: { ...(await plainPlanOf(url, cases[0]!.id)), steps: { s: slice }, formulas: { f: { name: 'f', text: 'nope' } } },
      target,
    }
  }

  it.each<[string, string, () => unknown, number, RegExp]>([
    ['no JSON', '/api/evaluate', () => '{{{', 400, /does not fit/],
    ['an empty body', '/api/evaluate', () => ({}), 400, /The request does not fit/],
    ['a file outside', '/api/cases', () => ({ name: 'x', folder: 'data', files: ['../../etc/passwd'] }), 400, /leads out of its folder/],
    ['a file that is not there', '/api/cases', () => ({ name: 'x', folder: 'data', files: ['nothing.vtu'] }), 404, /no such file/],
    [
      'another folder',
      '/api/cases',
      () => ({ name: 'x', folder: 'etc', files: ['passwd'] }),
      404,
      /no folder “etc” to bring files in from; there are “data”, “runs”, “uploads”/,
    ],
    ['no name', '/api/cases', () => ({ name: '', folder: 'data', files: ['a'] }), 400, /does not fit at name/],
    ['an upload with a path', '/api/uploads?upload=abcd&name=..%2Fx.vtu', () => 'x', 400, /no usable file name/],
    [
      'a piece that begins in the middle',
      '/api/uploads?upload=abcd-9&name=x.vtu&offset=5&total=9',
      () => 'x',
      400,
      /0 bytes have arrived, the next piece begins at 5/,
    ],
    [
      'a piece beyond its file',
      '/api/uploads?upload=abcd-9&name=x.vtu&offset=9&total=5',
      () => 'x',
      400,
      /does not say where its piece belongs/,
    ],
    [
      'an export to a format that cannot hold it',
      '/api/export',
      () => file({ format: 'vtu' }),
      400,
      /surface cannot be written as vtu; choose vtp/,
    ],
    ['an export of a field that is not there', '/api/export', () => file({ variables: ['f'] }), 400, /no field or formula “nope”/],
    ['an export of an unknown kind', '/api/export', () => file({ format: 'exe' }), 400, /does not fit/],
    ['a look again at nothing', '/api/cases/99999999-9999-4999-8999-999999999999/refresh', () => ({}), 404, /no longer exists/],
    ['a study of no case', '/api/studies', () => ({ name: 'x', cases: [] }), 400, /does not fit at cases/],
    [
      'a patch into the prototype',
      '/api/studies/ID/edits',
      () => ({ base: 99, author: 'eve.1', title: 'x', inverse: [], patches: [{ op: 'add', path: ['__proto__', 'x'], value: 1 }] }),
      400,
      /no longer in the study/,
    ],
    [
      'an edit that breaks the schema',
      '/api/studies/ID/edits',
      () => ({ base: 99, author: 'eve.1', title: 'x', inverse: [], patches: [{ op: 'replace', path: ['name'], value: 7 }] }),
      400,
      /must be string/,
    ],
    [
      'a step that is its own input',
      '/api/studies/ID/edits',
      () => ({
        base: 99,
        author: 'eve.1',
        title: 'x',
        inverse: [],
        patches: [{ op: 'replace', path: ['steps', 'bounds', 'inputs', 'of'], value: [{ step: 'bounds' }] }],
      }),
      400,
      /its own input/,
    ],
    ['an id that is none', '/api/studies/..%2f..%2fx/edits', () => ({}), 404, /nothing under this address/],
    ['an unknown study', '/api/studies/99999999-9999-4999-8999-999999999999/undo', () => ({ author: 'a.1' }), 404, /no longer exists/],
    ['nothing to undo', '/api/studies/ID/undo', () => ({ author: 'nobody.1' }), 400, /nothing of yours left to undo/],
  ])('%s', async (_, path, body, status, message) => {
    const before = await nameNow()
    const answer = await call('POST', path.replace('ID', studyId), await body())
    expect(answer.body.data?.message).toMatch(message)
    expect(answer.status).toBe(status)
    expect(await nameNow()).toBe(before)
  })

  it.each<[string, object, RegExp]>([
    ['a unit that is none', { units: { T: 'furlong' } }, /“furlong” is not a unit/],
    ['a length in kilograms of nothing', { lengthUnit: '§' }, /is not a unit/],
    ['an unknown role', { roles: { Drain: 'window' } }, /does not fit at roles › Drain/],
    ['a constant that no material has', { materials: { Water: { name: 'x', constants: { colour: 1 } } } }, /does not fit at materials/],
    ['vectors joined to one', { join: { name: 'x', from: ['U', 'T', 'p'] } }, /are not three or six scalars/],
    ['a name that is taken', { join: { name: 'T', from: ['T', 'age', 'k'] } }, /There is a field “T” already/],
    ['something else', { surprise: true }, /additional properties/],
  ])('what is said of a case: %s', async (_, body, message) => {
    const before = JSON.stringify((await call<{ catalogue: unknown }>('GET', `/api/cases/${cases[0]!.id}`)).body.catalogue)
    const answer = await call('PATCH', `/api/cases/${cases[0]!.id}`, body)
    expect(answer.status).toBe(400)
    expect(answer.body.data?.message).toMatch(message)
    expect(JSON.stringify((await call<{ catalogue: unknown }>('GET', `/api/cases/${cases[0]!.id}`)).body.catalogue)).toBe(before)
  })

  it.each<[string, string, number, RegExp]>([
    ['a part that is not there', 'look=part&part=Milk&moment=0', 400, /no part “Milk”/],
    ['a field that is not there', 'look=field&part=Water&field=nope&moment=0', 400, /no field “nope”/],
    ['a moment that is not there', 'look=field&part=Water&field=T&moment=77', 400, /There is no moment 77/],
    ['no moment', 'look=part&part=Water&moment=now', 400, /does not fit at moment/],
    ['no look', 'look=away&part=Water&moment=0', 400, /does not fit at look/],
  ])('figures of %s', async (_, query, status, message) => {
    const answer = await call('GET', `/api/cases/${cases[0]!.id}/figures?${query}`)
    expect(answer.body.data?.message).toMatch(message)
    expect(answer.status).toBe(status)
  })

  it('other sites and other names are turned away', async () => {
    expect((await call('GET', '/api/cases', undefined, { origin: 'http://elsewhere.example' })).status).toBe(403)
    const raw = await new Promise<string>((resolve) => {
      const { hostname, port } = new URL(url)
      import('node:http').then(({ get }) =>
        get({ host: hostname, port, path: '/api/cases', headers: { host: 'elsewhere.example' } }, (r) => resolve(String(r.statusCode))),
      )
    })
    expect(raw).toBe('403')
  })
})

async function bringIn(files: string[], name: string): Promise<CaseRow> {
  const { id } = (await call<{ id: string }>('POST', '/api/cases', { name, folder: 'data', files })).body
  for (;;) {
    const row = (await call<CaseRow[]>('GET', '/api/cases')).body.find((c) => c.id === id)!
    if (row.state !== 'reading') return row
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

async function sizeOf(id: string, part: string): Promise<{ value: number; unit: string }> {
  const steps = { m: { kind: 'measure', inputs: { of: [{ part }] }, settings: { quantity: 'size', variable: '' } } }
  const plan = { ...(await plainPlanOf(url, id)), steps }
  const { answer } = await askServer(url, plan, { want: 'outcome', step: 'm', frame: { case: 'case', moment: 0 }, priority: 1 })
  return answer.json as { value: number; unit: string }
}

describe('bringing in', () => {
  it('a damaged file says so and leaves no half case', async () => {
    await writeFile(
      join(data, 'data', 'broken.vtu'),
      '<?xml version="1.0"?><VTKFile type="UnstructuredGrid"><UnstructuredGrid><Piece NumberOfPoints="4"',
    )
    const row = await bringIn(['broken.vtu'], 'Broken')
    expect(row).toMatchObject({
      state: 'failed',
      failure: expect.stringMatching(/broken\.vtu ends inside <UnstructuredGrid>: it is cut off/) as string,
    })
    const refused = await call('POST', '/api/studies', { name: 'x', cases: [row.id] })
    expect(refused.body.data!.message).toMatch(/cut off/)
    expect((await call('DELETE', `/api/cases/${row.id}`)).status).toBe(200)
  })

  it('units set by hand change readings, and survive', async () => {
    const row = await bringIn(['other/arm.vtu'], 'Arm alone')
    expect(row.state).toBe('ready')
    const reading = () => sizeOf(row.id, 'region')
    expect((await reading()).unit).toBe('m³')
    await call('PATCH', `/api/cases/${row.id}`, { lengthUnit: 'mm' })
    expect((await reading()).unit).toBe('mm³')
    const refused = await call('PATCH', `/api/cases/${row.id}`, { units: { displacement: 'furlong' } })
    expect(refused.body.data!.message).toMatch(/“furlong” is not a unit/)
  })
})

describe('the command line', () => {
  const stavik = (...args: string[]): { out: string; err: string; code: number } => {
    try {
      return { out: execFileSync('./stavik', args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] }), err: '', code: 0 }
    } catch (error) {
      const { stdout, stderr, status } = error as { stdout: string; stderr: string; status: number }
      return { out: stdout, err: stderr, code: status }
    }
  }
  const tank = join(data, 'data', 'demo', 'tank-40', 'tank.vtm')

  it('info and measure agree with the server', async () => {
    const info = JSON.parse(stavik('info', tank, '--json').out) as { regions: { name: string; volume: number }[] }
    const [measured] = JSON.parse(stavik('measure', tank, 'integral(1)', '--region', 'Water', '--json').out) as {
      value: number
      unit: string
    }[]
    expect(measured!.unit).toBe('m³')
    expect(info.regions[0]!.volume).toBeCloseTo(measured!.value, 9)
    // commands block this process: connections that the server closed meanwhile are noticed first
    await new Promise((resolve) => setTimeout(resolve, 100))
    const { value } = await sizeOf(cases.find((c) => c.name === '40 L/s')!.id, 'Water')
    expect(value).toBe(measured!.value)
  })

  it.each<[string[], RegExp]>([
    [['info', '/nowhere.vtu'], /^stavik: .*no such file/],
    [['info'], /^stavik: Name a result file/],
    [['info', 'README.md'], /^stavik: README\.md is of no kind that is read/],
    [['measure', tank, 'mean(nope)'], /^stavik: in “mean\(nope\)” at character 6: There is no field/],
    [['measure', tank, 'mean(T)', '--region', 'Milk'], /^stavik: There is no region “Milk”; the file has Water/],
    [['dance'], /^stavik: there is no command/],
  ])('%j fails with one line', (args, message) => {
    const { err, code } = stavik(...args)
    expect(err.trim().split('\n').pop()).toMatch(message)
    expect(code).not.toBe(0)
  })

  it('a taken port is one line', async () => {
    const server = createServer()
    const port = await new Promise<number>((resolve) =>
      server.listen(0, '127.0.0.1', () => resolve((server.address() as { port: number }).port)),
    )
    try {
      execFileSync('./stavik', ['start'], {
        env: { ...process.env, STAVIK_PORT: String(port) },
        stdio: ['ignore', 'pipe', 'pipe'],
        encoding: 'utf8',
      })
      expect.unreachable()
    } catch (error) {
      expect((error as { stderr: string }).stderr).toBe(`stavik: port ${port} is taken; set STAVIK_PORT to another\n`)
    } finally {
      server.close()
    }
  })
})
