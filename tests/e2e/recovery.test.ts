import { execFileSync, spawn } from 'node:child_process'
import { watch } from 'node:fs'
import { mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { writeVtk } from '../../core/formats/write/vtkXml'
import { atPoints, boxMesh } from '../support/meshes'
import type { Target } from '../../core/evaluate/plan'
import { askServer, plainPlanOf } from '../support/server'
import { startStavik } from '../support/serve'
import type { Running } from '../support/serve'

interface CaseRow {
  id: string
  state: string
  failure: string | null
  catalogue: { parts: { cells: number }[] } | null
}
let data: string
let running: Running

beforeAll(async () => {
  data = await mkdtemp(join(tmpdir(), 'stavik-recovery-'))
  await mkdir(join(data, 'data'))
  const mesh = boxMesh({ n: 70, single: true })
  const fields = [{ name: 'T', place: 'point' as const, components: 1, values: atPoints(mesh, (x) => x), unit: 'K' }]
  await writeFile(join(data, 'data', 'box.vtu'), Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm' })))
  running = await startStavik('start', data)
})
afterAll(async () => {
  await running?.stop()
  await rm(data, { recursive: true, force: true })
})

const cases = async (): Promise<CaseRow[]> => (await (await fetch(`${running.url}/api/cases`)).json()) as CaseRow[]
/** Runs a command in a group of its own; with `killAt`, until a file of such a name appears. */
async function run(args: string[], killAt?: RegExp): Promise<number | null> {
  const watcher = killAt && watch(data, { recursive: true })
  const child = spawn('./stavik', args, { detached: true, stdio: 'ignore' })
  watcher?.on('change', (_, name) => {
    if (killAt?.test(String(name)) && child.exitCode === null) process.kill(-child.pid!, 'SIGKILL')
  })
  const code = await new Promise<number | null>((resolve) => child.once('exit', resolve))
  watcher?.close()
  return code
}

async function bringIn(name: string, file: string): Promise<string> {
  const body = JSON.stringify({ name, folder: 'data', files: [file] })
  const answer = await fetch(`${running.url}/api/cases`, { method: 'POST', headers: { 'content-type': 'application/json' }, body })
  return ((await answer.json()) as { id: string }).id
}

const stateOf = async (id: string): Promise<string> => (await cases()).find((row) => row.id === id)!.state

const serverOf = ({ pid }: Running): number => Number(execFileSync('pgrep', ['-P', String(pid), '-f', 'index.mjs']).toString())

describe('a server that is killed', () => {
  it('in the middle of reading a case begins again, and nothing half is left', async () => {
    const answer = await fetch(`${running.url}/api/cases`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'Box', folder: 'data', files: ['box.vtu'] }),
    })
    expect(answer.ok).toBe(true)
    await expect
      .poll(async () => (await readdir(join(data, 'store'), { recursive: true })).some((name) => name.endsWith('.part')), { interval: 10 })
      .toBe(true)
    // what is in it is known already, and a study can be begun on it
    const reading = { state: 'reading', catalogue: { parts: [{ cells: 70 ** 3 }] } }
    await expect.poll(async () => (await cases())[0], { interval: 10 }).toMatchObject(reading)
    const [early] = await cases()
    const study = await fetch(`${running.url}/api/studies`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'Early', cases: [early!.id] }),
    })
    expect(study.ok).toBe(true)
    process.kill(serverOf(running), 'SIGKILL')
    await running.stop()

    running = await startStavik('start', data)
    await expect.poll(async () => (await cases())[0]!.state).toBe('ready')
    const [row] = await cases()
    expect(row).toMatchObject({ failure: null, catalogue: { parts: [{ cells: 70 ** 3 }] } })
    expect((await readdir(join(data, 'store'), { recursive: true })).filter((name) => name.endsWith('.part'))).toEqual([])
  })

  it('in the middle of a job ends in the same table', async () => {
    const [row] = await cases()
    const plan = await plainPlanOf(running.url, row!.id)
    const slice = { kind: 'slice', inputs: { of: [{ part: 'region' }] }, settings: { origin: [0, 0, 0], normal: [0, 0, 1] } }
    const area = { kind: 'measure', inputs: { of: [{ step: 'slice' }] }, settings: { quantity: 'size', variable: '' } }
    const over = [{ is: 'values', step: 'slice', setting: 'plane', from: 0.001, to: 0.999, count: 400 }]
    const body = JSON.stringify({
      plan: { ...plan, steps: { slice, area } },
      of: { step: 'area' },
      over,
      base: { case: 'case', moment: 0 },
    })
    interface Job {
      news: { state: string; done: number; total: number }
      rows: { number: number; frame: number; value: { value: number } }[]
    }
    const start = async (): Promise<string> =>
      (
        (await (
          await fetch(`${running.url}/api/jobs`, { method: 'POST', headers: { 'content-type': 'application/json' }, body })
        ).json()) as { id: string }
      ).id
    const job = async (id: string): Promise<Job> => (await (await fetch(`${running.url}/api/jobs/${id}`)).json()) as Job
    const id = await start()
    await expect.poll(async () => (await job(id)).news.done, { interval: 20 }).toBeGreaterThan(5)
    const { news } = await job(id)
    expect(news).toMatchObject({ state: 'running', total: 400 })
    process.kill(serverOf(running), 'SIGKILL')
    await running.stop()
    running = await startStavik('start', data)
    // nobody asks for it again: it goes on by itself
    await expect.poll(async () => (await job(id)).news.state, { timeout: 60_000 }).toBe('done')
    const { rows } = await job(id)
    expect(rows.map(({ frame }) => frame).sort((a, b) => a - b)).toEqual(Array.from({ length: 400 }, (_, i) => i))
    for (const { value } of rows) expect(value.value).toBeCloseTo(1, 9)
    expect(await start()).toBe(id)
  })

  it('in the middle of an upload goes on where the file broke off', async () => {
    const bytes = await readFile(join(data, 'data', 'box.vtu'))
    const at = (offset: number): string =>
      `${running.url}/api/uploads?upload=kept-0001&name=run/box.vtu&offset=${offset}&total=${bytes.length}`
    const first = 3_000_000
    expect((await fetch(at(0), { method: 'POST', body: bytes.subarray(0, first) })).ok).toBe(true)
    // the next piece is on its way when the server dies
    const socket = connect(Number(new URL(running.url).port), '127.0.0.1')
    socket.on('error', () => undefined)
    socket.write(
      `POST ${new URL(at(first)).pathname}${new URL(at(first)).search} HTTP/1.1\r\nHost: 127.0.0.1:${new URL(running.url).port}\r\n` +
        `Content-Length: ${bytes.length - first}\r\n\r\n`,
    )
    socket.write(bytes.subarray(first, 2 * first))
    const arrived = async (): Promise<number> =>
      ((await (await fetch(`${running.url}/api/uploads?upload=kept-0001&name=run/box.vtu`)).json()) as { arrived: number }).arrived
    await expect.poll(arrived).toBeGreaterThan(first)
    process.kill(serverOf(running), 'SIGKILL')
    await running.stop()
    socket.destroy()

    running = await startStavik('start', data)
    const there = await arrived()
    expect(there).toBeGreaterThan(first)
    expect(await readdir(join(data, 'uploads', 'kept-0001', 'run'))).toEqual(['box.vtu.part'])
    expect((await fetch(at(there), { method: 'POST', body: bytes.subarray(there) })).ok).toBe(true)
    expect((await readFile(join(data, 'uploads', 'kept-0001', 'run', 'box.vtu'))).equals(bytes)).toBe(true)
  })

  it('in the middle of an edit keeps every edit it had answered', async () => {
    const [row] = await cases()
    const json = { 'content-type': 'application/json' }
    const { id } = (await (
      await fetch(`${running.url}/api/studies`, {
        method: 'POST',
        headers: json,
        body: JSON.stringify({ name: 'First', cases: [row!.id] }),
      })
    ).json()) as { id: string }
    let answered = 'First'
    let base = 0
    const stopAt = 12
    for (let n = 1; n <= 40; n++) {
      const name = `Name ${n}`
      const body = JSON.stringify({
        base,
        author: 'ann.1',
        title: 'Rename',
        patches: [{ op: 'replace', path: ['name'], value: name }],
        inverse: [{ op: 'replace', path: ['name'], value: answered }],
      })
      const sent = fetch(`${running.url}/api/studies/${id}/edits`, { method: 'POST', headers: json, body })
      if (n === stopAt) process.kill(serverOf(running), 'SIGKILL')
      const answer = await sent.catch(() => undefined)
      if (!answer?.ok) break
      base = ((await answer.json()) as { number: number }).number
      answered = name
    }
    await running.stop()
    running = await startStavik('start', data)
    const { document } = (await (await fetch(`${running.url}/api/studies/${id}`)).json()) as { document: { name: string } }
    // the one in flight may have arrived or not; what was answered is there
    expect([answered, `Name ${stopAt}`]).toContain(document.name)
  })
})

describe('files that are written to after they were read', () => {
  /** S is T + 1 in every version of the file, which always has the same size. */
  const write = async (shift: number): Promise<void> => {
    const mesh = boxMesh({ n: 12 })
    const values = (i: number) => atPoints(mesh, (x) => x + shift + i)
    const fields = ['T', 'S'].map((name, i) => ({ name, place: 'point' as const, components: 1, values: values(i), unit: 'K' }))
    await writeFile(join(data, 'data', 'again.vtu'), Buffer.concat(writeVtk(mesh, fields, { lengthUnit: 'm' })))
  }
  let id: string
  const mean = async (text: string): Promise<number | string> => {
    const steps = { m: { kind: 'measure', inputs: { of: [{ part: 'region' }] }, settings: { quantity: 'mean', variable: 'f' } } }
    const plan = { ...(await plainPlanOf(running.url, id)), steps, formulas: { f: { name: 'f', text } } }
    const target: Target = { want: 'outcome', step: 'm', frame: { case: 'case', moment: 0 }, priority: 1 }
    const asked = askServer(running.url, plan, target)
    return asked.then(
      ({ answer }) => (answer.json as { value: number }).value,
      (error: Error) => error.message,
    )
  }

  it('are noticed, and old and new values never mix', async () => {
    await write(0)
    id = await bringIn('Again', 'again.vtu')
    await expect.poll(() => stateOf(id)).toBe('ready')
    expect(await mean('T')).toBeCloseTo(0.5, 9)
    await write(100)
    // S has not been read yet: it must not be taken from the new file beside the old T
    const mixed = await mean('S - T')
    if (typeof mixed === 'number') expect(mixed).toBeCloseTo(1, 9)
    else expect(mixed).toMatch(/has changed|was written to|is still being read/)
    await expect.poll(() => mean('T'), { timeout: 15_000 }).toBeCloseTo(100.5, 9)
    expect(await mean('S - T')).toBeCloseTo(1, 9)
    // what is kept is looked after, too: within five seconds of use
    await write(200)
    await expect.poll(() => mean('T'), { timeout: 8000 }).toBeCloseTo(200.5, 9)
  })
})

describe('a second server on the same database', () => {
  it('leaves the first one its cases, and computes on them as well', async () => {
    const id = await bringIn('Box 2', 'box.vtu')
    const second = await startStavik('start', data)
    try {
      await expect.poll(() => stateOf(id)).not.toBe('reading')
      expect((await cases()).find((row) => row.id === id)).toMatchObject({ state: 'ready', failure: null })
      const steps = { s: { kind: 'slice', inputs: { of: [{ part: 'region' }] }, settings: { origin: [0, 0, 0.4], normal: [0, 0, 1] } } }
      const target: Target = { want: 'picture', step: 's', frame: { case: 'case', moment: 0 }, variables: ['T'], priority: 0 }
      for (const { url } of [running, second]) {
        const picture = await askServer(url, { ...(await plainPlanOf(url, id)), steps }, target)
        expect(picture.shape!.meta.nElements).toBeGreaterThan(70 * 70)
      }
    } finally {
      await second.stop()
    }
  })
})

describe('a conversion that is killed', () => {
  it('leaves no file that looks whole, and runs again', async () => {
    const out = join(data, 'out.vtu')
    expect(await run(['convert', join(data, 'data', 'box.vtu'), out], /out\.vtu\.part$/)).toBeNull()
    expect(await readdir(data)).not.toContain('out.vtu')
    expect(await run(['convert', join(data, 'data', 'box.vtu'), out])).toBe(0)
    expect((await readdir(data)).filter((name) => name.startsWith('out'))).toEqual(['out.vtu'])
    const info = execFileSync('./stavik', ['info', out, '--json'])
    expect((JSON.parse(info.toString()) as { regions: { cells: number }[] }).regions[0]!.cells).toBe(70 ** 3)
  })
})
