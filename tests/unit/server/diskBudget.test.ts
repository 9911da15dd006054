import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { DiskBudget } from '../../../server/cases/DiskBudget'

let root: string
const later = (): number => Date.now() + 3_600_000

beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'stavik-disk-'))
  for (const id of ['a', 'b']) {
    await mkdir(join(root, id, 'first'), { recursive: true })
    await writeFile(join(root, id, 'first', 'm.mesh'), Buffer.alloc(1000))
    for (const moment of [0, 1]) {
      await writeFile(join(root, id, 'first', `${moment}.field`), Buffer.alloc(1000))
      await writeFile(join(root, id, 'first', `${moment}.field.json`), '{}')
    }
  }
})
afterEach(() => rm(root, { recursive: true, force: true }))

describe('the store on disk', () => {
  it('within its budget loses nothing', async () => {
    const gone: string[] = []
    await new DiskBudget(root, 10_000).trim(async (id, file) => void gone.push(`${id} ${file}`), later())
    expect(gone).toEqual([])
  })

  it('loses the fields not used for longest, never a mesh', async () => {
    const disk = new DiskBudget(root, 4_500)
    const gone: string[] = []
    for (const [id, moment] of [
      ['b', 1],
      ['a', 0],
      ['a', 1],
      ['b', 0],
    ]) {
      disk.touch(`${id}`, join('first', `${moment}.field`))
      await new Promise((resolve) => setTimeout(resolve, 3))
    }
    await disk.trim(async (id, file) => void gone.push(`${id} ${file}`), later())
    expect(gone).toEqual(['b first/1.field', 'a first/0.field'])
    expect((await readdir(join(root, 'b', 'first'))).sort()).toEqual(['0.field', '0.field.json', 'm.mesh'])
    const disk2 = new DiskBudget(root, 1)
    await disk2.trim(async () => undefined, later())
    expect(await readdir(join(root, 'a', 'first'))).toEqual(['m.mesh'])
  })

  it('keeps what is being looked at, however large', async () => {
    const disk = new DiskBudget(root, 1)
    const gone: string[] = []
    await disk.trim(async (id) => void gone.push(id))
    expect(gone).toEqual([])
  })
})
