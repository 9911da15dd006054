import { mkdir, mkdtemp, rm, symlink, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { DiskFolder } from '../../../server/work/files'
import { listSources, sourceOf, storeUpload } from '../../../server/work/sources'
import type { Settings } from '../../../server/work/settings'

let root: string
let settings: Settings

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-files-'))
  for (const name of ['data/run', 'uploads']) await mkdir(join(root, name), { recursive: true })
  for (const name of ['data/run/t_1.vtu', 'data/run/t_2.vtu', 'data/notes.txt', 'secret.vtu']) await writeFile(join(root, name), 'x')
  await symlink(join(root, 'secret.vtu'), join(root, 'data/link.vtu'))
  settings = { databaseUrl: '', store: '', bundles: '', disk: 2 ** 40, memory: 2 ** 31, uploads: join(root, 'uploads'), folders: [{ name: 'data', path: join(root, 'data') }] }
})
afterAll(() => rm(root, { recursive: true, force: true }))

describe('a folder is never left', () => {
  it.each(['../secret.vtu', '/etc/passwd', 'run/../../secret.vtu', 'link.vtu', 'a\0b', '.', ''])('by “%s”', async (name) => {
    await expect(new DiskFolder(join(root, 'data')).open(name)).rejects.toThrow(/leads out of its folder/)
  })

  it('what is missing and what is no file are named', async () => {
    const folder = new DiskFolder(join(root, 'data'))
    await expect(folder.open('gone.vtu')).rejects.toThrow(/gone\.vtu: there is no such file/)
    await expect(folder.open('run')).rejects.toThrow(/run is no file/)
  })

  it('a file that shrinks while it is read is noticed', async () => {
    const source = await new DiskFolder(join(root, 'data')).open('run/t_1.vtu')
    await expect(source.read(0, 100)).rejects.toThrow(/became shorter/)
    await source.close()
  })
})

it('lists what can be brought in, a series as one', async () => {
  expect(await listSources(settings)).toMatchObject([{ folder: 'data', files: ['run/t_1.vtu', 'run/t_2.vtu'], bytes: 2 }])
  await expect(sourceOf(settings, 'data', ['../secret.vtu'])).rejects.toThrow(/leads out/)
})

describe('uploads', () => {
  it('are stored whole', async () => {
    expect(await storeUpload(settings, 'abcd-1', 'a.vtu', Readable.from(['one', 'two']))).toBe('abcd-1/a.vtu')
    expect((await listSources(settings)).find((s) => s.folder === 'uploads')).toMatchObject({ files: ['abcd-1/a.vtu'], bytes: 6 })
  })

  it.each([['../up', 'a.vtu'], ['abcd-2', '../a.vtu'], ['abcd-2', 'a/b.vtu'], ['abcd-2', '.hidden'], ['abcd-2', '']])('refuse %s / %s', async (upload, name) => {
    await expect(storeUpload(settings, upload, name, Readable.from(['x']))).rejects.toThrow(/usable/)
  })

  it('that break off leave nothing', async () => {
    const broken = new Readable({ read() { this.destroy(new Error('gone')) } })
    await expect(storeUpload(settings, 'abcd-3', 'a.vtu', broken)).rejects.toThrow(/did not arrive whole/)
    expect((await listSources(settings)).filter((s) => s.files[0]!.startsWith('abcd-3'))).toEqual([])
  })
})
