import { execFileSync } from 'node:child_process'
import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { writeVtk } from '../../core/formats/write/vtkXml'
import { atPoints, boxMesh } from '../support/meshes'
import { startStavik } from '../support/serve'
import type { Running } from '../support/serve'

interface CaseRow { id: string; state: string; failure: string | null; catalogue: { parts: { cells: number }[] } | null }
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
const serverOf = ({ pid }: Running): number => Number(execFileSync('pgrep', ['-P', String(pid), '-f', 'index.mjs']).toString())

describe('a server that is killed', () => {
  it('in the middle of reading a case begins again, and nothing half is left', async () => {
    const answer = await fetch(`${running.url}/api/cases`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: 'Box', folder: 'data', files: ['box.vtu'] }) })
    expect(answer.ok).toBe(true)
    await expect.poll(async () => (await readdir(join(data, 'store'), { recursive: true })).some((name) => name.endsWith('.part')), { interval: 10 }).toBe(true)
    expect((await cases())[0]!.state).toBe('reading')
    process.kill(serverOf(running), 'SIGKILL')
    await running.stop()

    running = await startStavik('start', data)
    await expect.poll(async () => (await cases())[0]!.state).toBe('ready')
    const [row] = await cases()
    expect(row).toMatchObject({ failure: null, catalogue: { parts: [{ cells: 70 ** 3 }] } })
    expect((await readdir(join(data, 'store'), { recursive: true })).filter((name) => name.endsWith('.part'))).toEqual([])
  })

  it('in the middle of an edit keeps every edit it had answered', async () => {
    const [row] = await cases()
    const json = { 'content-type': 'application/json' }
    const { id } = (await (await fetch(`${running.url}/api/studies`, { method: 'POST', headers: json, body: JSON.stringify({ name: 'First', cases: [row!.id] }) })).json()) as { id: string }
    let answered = 'First'
    let base = 0
    const stopAt = 12
    for (let n = 1; n <= 40; n++) {
      const name = `Name ${n}`
      const body = JSON.stringify({ base, author: 'ann.1', title: 'Rename', patches: [{ op: 'replace', path: ['name'], value: name }], inverse: [{ op: 'replace', path: ['name'], value: answered }] })
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
