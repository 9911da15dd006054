import { mkdir, mkdtemp, rm, symlink, writeFile, readFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { DiskFolder } from '../../../server/cases/files'
import { listSources, sourceOf } from '../../../server/cases/sources'
import { arrived, dropAbandoned, dropUpload, storePiece } from '../../../server/cases/uploads'
import type { Settings } from '../../../server/settings'

let root: string
let settings: Settings

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-files-'))
  for (const name of ['data/run', 'uploads']) await mkdir(join(root, name), { recursive: true })
  for (const name of ['data/run/t_1.vtu', 'data/run/t_2.vtu', 'data/notes.txt', 'secret.vtu']) await writeFile(join(root, name), 'x')
  await symlink(join(root, 'secret.vtu'), join(root, 'data/link.vtu'))
  settings = {
    databaseUrl: '',
    store: '',
    bundles: '',
    disk: 2 ** 40,
    memory: 2 ** 31,
    threads: undefined,
    isStrict: false,
    uploads: join(root, 'uploads'),
    folders: [{ name: 'data', path: join(root, 'data') }],
  }
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
  const whole = (upload: string, name: string, text: string): Promise<string> =>
    storePiece(settings, { upload, name, offset: 0, total: text.length }, Readable.from([text]))

  it('are stored whole, in the folders they came in', async () => {
    expect(await whole('abcd-1', 'a.vtu', 'onetwo')).toBe('abcd-1/a.vtu')
    expect((await listSources(settings)).find((s) => s.folder === 'uploads')).toMatchObject({ files: ['abcd-1/a.vtu'], bytes: 6 })
    expect(await whole('abcd-5', 'run/0/U', 'x')).toBe('abcd-5/run/0/U')
  })

  it.each([
    ['../up', 'a.vtu'],
    ['abcd-2', '../a.vtu'],
    ['abcd-2', 'a/../b.vtu'],
    ['abcd-2', 'a//b.vtu'],
    ['abcd-2', '.hidden'],
    ['abcd-2', ''],
  ])('refuse %s / %s', async (upload, name) => {
    await expect(whole(upload, name, 'x')).rejects.toThrow(/usable/)
  })

  it('that break off are not there, and go on where they stopped', async () => {
    let n = 0
    const broken = new Readable({
      read() {
        if (n++) this.destroy(new Error('gone'))
        else this.push('one')
      },
    })
    await expect(storePiece(settings, { upload: 'abcd-3', name: 'a.vtu', offset: 0, total: 6 }, broken)).rejects.toThrow(
      /did not arrive whole/,
    )
    expect((await listSources(settings)).filter((s) => s.files[0]!.startsWith('abcd-3'))).toEqual([])
    const there = await arrived(settings, 'abcd-3', 'a.vtu')
    await expect(
      storePiece(settings, { upload: 'abcd-3', name: 'a.vtu', offset: there + 1, total: 6 }, Readable.from(['x'])),
    ).rejects.toThrow(/bytes have arrived/)
    await storePiece(settings, { upload: 'abcd-3', name: 'a.vtu', offset: there, total: 6 }, Readable.from(['onetwo'.slice(there)]))
    expect(await readFile(join(settings.uploads, 'abcd-3', 'a.vtu'), 'utf8')).toBe('onetwo')
    expect(await arrived(settings, 'abcd-3', 'a.vtu')).toBe(6)
  })

  it('that are longer than they were said to be are refused', async () => {
    await expect(storePiece(settings, { upload: 'abcd-4', name: 'a.vtu', offset: 0, total: 2 }, Readable.from(['long']))).rejects.toThrow(
      /longer than/,
    )
    expect(await arrived(settings, 'abcd-4', 'a.vtu')).toBe(0)
  })

  it('are given up by the user, or when nobody goes on with them for days', async () => {
    await storePiece(settings, { upload: 'abcd-6', name: 'a.vtu', offset: 0, total: 9 }, Readable.from(['abc']))
    await dropAbandoned(settings)
    expect(await arrived(settings, 'abcd-6', 'a.vtu')).toBe(3)
    await dropAbandoned(settings, Date.now() + 10 * 24 * 3600 * 1000)
    expect(await arrived(settings, 'abcd-6', 'a.vtu')).toBe(0)
    await dropUpload(settings, 'abcd-1')
    expect(await arrived(settings, 'abcd-1', 'a.vtu')).toBe(0)
  })
})
