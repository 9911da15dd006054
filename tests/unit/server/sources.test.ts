import { deflateSync, gzipSync } from 'node:zlib'
import { mkdir, mkdtemp, rm, utimes, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { errorData, errorFromData, Cancelled, DataError, FormatError, UserError } from '../../../core/errors'
import { groupAt, isHdf5, numberOf, requireDataset, textOf, textRows } from '../../../core/formats/hdf5/Hdf5'
import { openNamed } from '../../../core/formats/series'
import { decompress } from '../../../server/cases/decompress'
import { Events } from '../../../server/Events'
import { DiskFolder } from '../../../server/cases/files'
import { readSettings } from '../../../server/settings'
import { givenFolders } from '../../../server/settings'
import { listSources, sourceOf } from '../../../server/cases/sources'
import type { SourceEntry } from '../../../server/cases/sources'
import { foamCase } from '../../support/writers/foam'
import { writeHdf5 } from '../../support/writers/hdf5'
import { boxModel } from '../../support/writers/model'

let root: string
const path = (name: string): string => join(root, name)
const settings = () => ({
  databaseUrl: '',
  store: '',
  bundles: '',
  memory: 2 ** 31,
  threads: undefined,
  isStrict: false,
  disk: 2 ** 40,
  uploads: path('uploads'),
  folders: [{ name: 'data', path: path('data') }],
})

async function put(name: string, bytes: Uint8Array | string): Promise<void> {
  await mkdir(dirname(path(name)), { recursive: true })
  await writeFile(path(name), bytes)
}

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-sources-'))
  await mkdir(path('uploads'))
  for (const [name, bytes] of Object.entries(foamCase(boxModel(), { processors: 2 }))) await put(`data/runs/tank/${name}`, bytes)
  for (const name of [
    'data/a_1.vtu',
    'data/a_2.vtu',
    'data/b/all.vtm',
    'data/b/0.vtu',
    'data/c/all.pvtu',
    'data/c/all_0.vtu',
    'data/d.csv',
    'data/notes.txt',
    'data/e.xdmf',
    'data/e.h5',
  ])
    await put(name, 'x')
})
afterAll(() => rm(root, { recursive: true, force: true }))

describe('what can be brought in', () => {
  it('files, series and case folders; not the files that others name, nor what is no result', async () => {
    const found = (await listSources(settings())).map((entry) => entry.files)
    expect(found.sort((a, b) => (a[0]! < b[0]! ? -1 : 1))).toEqual([
      ['a_1.vtu', 'a_2.vtu'],
      ['b/all.vtm'],
      ['c/all.pvtu'],
      ['d.csv'],
      ['e.xdmf'],
      ['runs/tank/'],
    ])
  })

  it('with the bytes of all their files', async () => {
    const entries = await listSources(settings())
    expect(entries.find((entry) => entry.files.length === 2)!.bytes).toBe(2)
    expect(entries.find((entry) => entry.files[0] === 'runs/tank/')!.bytes).toBeGreaterThan(5000)
  })

  it('what was written last comes first', async () => {
    await utimes(path('data/d.csv'), 0, Date.now() / 1000 + 60)
    const [newest, ...others] = await listSources(settings())
    expect(newest!.files).toEqual(['d.csv'])
    expect(others.every((entry) => entry.written < newest!.written)).toBe(true)
  })

  it('further folders that were given, under names of their own; no others', async () => {
    await put('scratch/data/runs/far.vtu', 'x')
    const all = { ...settings(), folders: [...settings().folders, ...givenFolders(`${path('scratch/data')}:${path('nowhere')}`)] }
    expect(all.folders.map(({ name }) => name)).toEqual(['data', 'data 2', 'nowhere'])
    expect((await listSources(all)).find(({ folder }) => folder === 'data 2')).toMatchObject({ files: ['runs/far.vtu'], bytes: 1 })
    expect(await sourceOf(all, 'data 2', ['runs/far.vtu'])).toEqual({ folder: path('scratch/data'), files: ['runs/far.vtu'] })
    await expect(sourceOf(all, 'data 2', ['../../data/d.csv'])).rejects.toThrow(/leads out of its folder/)
    await expect(sourceOf(all, 'etc', ['passwd'])).rejects.toThrow(
      'no folder “etc” to bring files in from; there are “data”, “data 2”, “nowhere”, “uploads”',
    )
    expect(() => givenFolders('runs')).toThrow('name folders by absolute paths')
  })

  it('a folder with very many files tells their number instead of looking at each', async () => {
    for (let t = 0; t < 1990; t++) await put(`many/run/${t}/T`, '')
    for (const name of ['faces', 'owner', 'points']) await put(`many/run/constant/polyMesh/${name}`, 'x')
    const at = (): Promise<SourceEntry[]> => listSources({ ...settings(), folders: [{ name: 'data', path: path('many') }] })
    expect(await at()).toMatchObject([{ files: ['run/'], bytes: 3, nFiles: 1993 }])
    for (let t = 0; t < 20; t++) await put(`many/run/1.${t}/T`, '')
    expect(await at()).toMatchObject([{ files: ['run/'], bytes: null, nFiles: 2013 }])
  })

  it('a case folder opens by its name', async () => {
    const { folder, files } = await sourceOf(settings(), 'data', ['runs/tank/'])
    const disk = new DiskFolder(folder)
    const opened = await openNamed(files, disk)
    expect(opened.catalogue.parts.map((part) => part.name)).toEqual(['region', 'Inlet', 'Outlet', 'Walls'])
    await disk.close()
  })

  it('a folder around a single case stands for it; around none it says what is there', async () => {
    const around = new DiskFolder(path('data/runs'))
    expect((await openNamed([''], around)).catalogue.format).toBe('OpenFOAM case')
    await around.close()
    const other = new DiskFolder(path('data/b'))
    await expect(openNamed([''], other)).rejects.toThrow(/of no kind that is read; name a file in it, such as 0\.vtu, all\.vtm/)
    await other.close()
  })

  it.each(['../uploads/', '/etc/', 'runs/../../'])('“%s” leads out of its folder', async (name) => {
    await expect(sourceOf(settings(), 'data', [name])).rejects.toThrow(/leads out of its folder|no such file/)
  })
})

describe('compressed pieces', () => {
  const plain = Buffer.from('water '.repeat(1000))

  it.each([
    ['zlib', deflateSync(plain)],
    ['gzip', gzipSync(plain)],
  ] as const)('%s comes out whole, and no longer than stated', async (method, packed) => {
    expect(Buffer.from(await decompress(method, packed, plain.length)).equals(plain)).toBe(true)
    await expect(decompress(method, packed, plain.length - 1)).rejects.toThrow()
    await expect(decompress(method, packed.subarray(0, 20), plain.length)).rejects.toThrow()
  })

  it('the beginning of a stream comes out as far as it goes', async () => {
    // what repeats itself is packed so well that its beginning holds all of it
    const numbers = Buffer.from(Array.from({ length: 20_000 }, (_, i) => `${(i * 7919) % 10007}`).join(' '))
    const head = Buffer.from(await decompress('gzip-start', gzipSync(numbers).subarray(0, 4096), numbers.length))
    expect(head.length).toBeGreaterThan(4096)
    expect(numbers.subarray(0, head.length).equals(head)).toBe(true)
    await expect(decompress('gzip-start', gzipSync(numbers).subarray(0, 4096), 100)).rejects.toThrow()
  })

  it.each(['zlib', 'gzip', 'lz4', 'xz'] as const)('%s of rubbish is an error, never a hang', async (method) => {
    await expect(
      decompress(method, Buffer.from('this is not packed at all, not at all'), 1000).then((out) => {
        if (out.length !== 1000) throw new Error('short')
      }),
    ).rejects.toThrow()
  })
})

describe('HDF5 files', () => {
  it('give groups, datasets, slices and attributes', async () => {
    await writeHdf5(path('data/f.h5'), (file) => {
      const group = file.create_group('group')
      group.create_attribute('label', 'Zone_t   ')
      group.create_attribute('count', Int32Array.of(7))
      group.create_attribute('wide', new BigInt64Array([9n]))
      group.create_dataset({ name: 'rows', data: Float32Array.from({ length: 12 }, (_, i) => i), shape: [4, 3] })
      group.create_dataset({ name: 'long', data: new BigInt64Array([1n, -2n]) })
      group.create_dataset({ name: 'names', data: ['a', 'bc'], dtype: 'S8' })
    })
    const disk = new DiskFolder(path('data'))
    const { root: top } = await disk.openHdf5('f.h5')
    const group = groupAt(top, 'group')!
    expect(group.names()).toEqual(['long', 'names', 'rows'])
    expect([
      textOf(group, 'label'),
      numberOf(group, 'count'),
      numberOf(group, 'wide'),
      numberOf(group, 'none'),
      textOf(group, 'none'),
    ]).toEqual(['Zone_t', 7, 9, NaN, ''])
    const rows = requireDataset(group, 'rows', 'f.h5')
    expect([rows.shape, rows.numberType]).toEqual([[4, 3], 'Float32'])
    expect([
      ...rows.numbers([
        [1, 3],
        [0, 2],
      ]),
    ]).toEqual([3, 4, 6, 7])
    expect([...requireDataset(group, 'long', 'f.h5').numbers()]).toEqual([1, -2])
    expect(requireDataset(group, 'names', 'f.h5').texts()).toEqual(['a', 'bc'])
    expect(() => requireDataset(group, 'gone', 'f.h5')).toThrow(/f\.h5 has no \/group\/gone/)
    expect(() => requireDataset(group, 'names', 'f.h5').numbers()).toThrow(/holds no numbers|cannot be read/)
    expect(top.get('nowhere/at/all')).toBeUndefined()
    await disk.close()
  })

  it('that are none, or not there, are named', async () => {
    const disk = new DiskFolder(path('data'))
    await expect(disk.openHdf5('notes.txt')).rejects.toThrow(/notes\.txt cannot be opened: it is damaged or no HDF5 file/)
    await expect(disk.openHdf5('gone.h5')).rejects.toThrow(/no such file/)
    await expect(disk.openHdf5('../../etc/passwd')).rejects.toThrow(/leads out/)
    expect(isHdf5(Buffer.from('\x89HDF\r\n\x1a\nrest', 'latin1'))).toBe(true)
    expect(isHdf5(Buffer.from('plain'))).toBe(false)
  })

  it('characters kept as numbers become rows of text', () => {
    const codes = [...'abc  x\0y'].map((ch) => ch.charCodeAt(0))
    expect(textRows(codes, 4)).toEqual(['abc', 'x'])
    expect(textRows(codes, 0)).toEqual([])
  })
})

describe('errors', () => {
  it.each([
    [new FormatError('cut-off', 'It ends early.'), { code: 'cut-off', message: 'It ends early.' }],
    [new DataError('no-part', 'There is none.'), { code: 'no-part', message: 'There is none.' }],
    [new UserError('syntax', 'Here.', [2, 5]), { code: 'syntax', message: 'Here.', range: [2, 5] }],
    [new Cancelled('x'), { code: 'cancelled', message: 'Cancelled.' }],
    [new TypeError('a mistake'), { code: 'internal', message: 'a mistake' }],
    ['thrown text', { code: 'internal', message: 'thrown text' }],
  ])('cross a border as data: %s', (error, data) => {
    expect(errorData(error)).toEqual(data)
    const back = errorFromData(data as never)
    expect(back instanceof UserError).toBe(error instanceof UserError)
    expect(back instanceof Cancelled).toBe(error instanceof Cancelled)
  })

  it('stay on one line, whatever a damaged file puts into them', () => {
    expect(new FormatError('x', 'the tag <a\n\0b> is not closed').message).toBe('the tag <a·b> is not closed')
  })
})

describe('settings', () => {
  const env = { STAVIK_DATA: '/data', STAVIK_DATABASE_URL: 'postgres://x', STAVIK_BUNDLES: '/dist' }

  it('come from the environment, with defaults', () => {
    expect(readSettings(env)).toMatchObject({ store: '/data/store', uploads: '/data/uploads', memory: 2 * 2 ** 30, disk: 100 * 2 ** 30 })
    expect(readSettings({ ...env, STAVIK_MEMORY: '8', STAVIK_DISK: '0.5' })).toMatchObject({ memory: 8 * 2 ** 30, disk: 2 ** 29 })
  })

  it.each([
    [{}, /Start the server with/],
    [{ ...env, STAVIK_MEMORY: 'lots' }, /memory to use in GiB, at least 0\.5/],
    [{ ...env, STAVIK_MEMORY: '0.1' }, /at least 0\.5/],
    [{ ...env, STAVIK_DISK: '-1' }, /disk space for stored fields/],
  ])('%o is refused', (given, message) => expect(() => readSettings(given)).toThrow(message))
})

it('events reach who listens, until they stop', () => {
  const events = new Events()
  const heard: string[] = []
  const stop = events.listen((event) => heard.push(event.type))
  events.send({ type: 'case', data: {} })
  stop()
  events.send({ type: 'studies', data: {} })
  expect(heard).toEqual(['case'])
})
