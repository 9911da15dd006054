/** `load-demo --url URL --list FILE`: brings the demo's files in through the server, as a user would, and makes its study. */
import { readFile } from 'node:fs/promises'
import { enablePatches, produceWithPatches } from 'immer'
import { materials } from '../core/case/materials'
import { UserError } from '../core/errors'
import { Api } from './Api'
import { furnish } from '../demo/morning'
import type { Study } from '../core/study/studyModel'
import { readArguments } from './arguments'

interface Listed {
  id: string
  title: string
  isCompared?: boolean
  files: string[]
}

interface CaseState {
  id: string
  name: string
  state: 'reading' | 'ready' | 'failed'
  failure: string | null
}

/** The study of a morning, and a bare one beside it. */
const STUDY = 'Morning at the tank'
const BARE = 'Rearing tank'
const WATER = materials.find((m) => m.name === 'water, 10 °C')!

export async function loadDemo(args: string[]): Promise<void> {
  const options = readArguments(args, { url: 'value', list: 'value' }, 'load-demo --url URL --list FILE')
  const url = options.value('url')
  const list = options.value('list')
  if (!url || !list) throw new UserError('usage', 'Name the server and the list: load-demo --url URL --list FILE.')
  const api = new Api(url)
  const studies = await api.get<{ name: string }[]>('/api/studies')
  if (studies.some((study) => study.name === STUDY)) return
  const listed = JSON.parse(await readFile(list, 'utf8')) as Listed[]
  const ids = await bringIn(api, listed)
  for (const id of ids.values()) await api.send('PATCH', `/api/cases/${id}`, { materials: { Water: WATER } })
  const steady = listed.filter(({ isCompared }) => isCompared).map((entry) => ids.get(entry.title)!)
  const { id } = await api.post<{ id: string }>('/api/studies', { name: STUDY, cases: steady })
  const bare = await api.post<{ id: string }>('/api/studies', { name: BARE, cases: steady })
  await makeMorning(api, id)
  await putThumbnail(api, id, 'morning')
  await putThumbnail(api, bare.id, 'bare')
}

async function putThumbnail(api: Api, study: string, name: string): Promise<void> {
  const picture = await readFile(new URL(`../demo/thumbnails/${name}.png`, import.meta.url)).catch(() => undefined)
  if (picture) await api.put(`/api/studies/${study}/thumbnail`, picture)
}

async function makeMorning(api: Api, id: string): Promise<void> {
  enablePatches()
  const { document, revision } = await api.get<{ document: Study; revision: number }>(`/api/studies/${id}`)
  const [, patches, inverse] = produceWithPatches(document, (study) => furnish(study as Study))
  await api.post(`/api/studies/${id}/edits`, { base: revision, patches, inverse, title: 'A morning’s work', author: 'demo.demo' })
}

async function bringIn(api: Api, listed: Listed[]): Promise<Map<string, string>> {
  const known = await api.get<CaseState[]>('/api/cases')
  const ids = new Map(known.map((row) => [row.name, row.id]))
  for (const { title, files } of listed) {
    if (ids.has(title)) continue
    const { id } = await api.post<{ id: string }>('/api/cases', { name: title, folder: 'data', files: files.map((name) => `demo/${name}`) })
    ids.set(title, id)
  }
  for (;;) {
    const cases = (await api.get<CaseState[]>('/api/cases')).filter((row) => [...ids.values()].includes(row.id))
    const failed = cases.find((row) => row.state === 'failed')
    if (failed) throw new UserError('failed', `The demo case “${failed.name}” could not be read: ${failed.failure}`)
    if (cases.every((row) => row.state === 'ready')) return ids
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
}
